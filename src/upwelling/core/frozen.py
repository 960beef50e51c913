"""The base of all values that are stored, sent or compared: they never change, and have exactly their fields."""

from __future__ import annotations

from typing import Annotated, Any, Self, Union

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from upwelling.core.errors import BadValue
from upwelling.core.parameters import refusal


class Frozen(BaseModel):
    """Fields that are not known, and numbers that are not finite, are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @classmethod
    def checked(cls, body: Any) -> Self:
        """From plain data; raises BadValue with one sentence instead of the validator's own error."""
        try:
            return cls.model_validate(body)
        except ValidationError as error:
            raise BadValue(cls.refused(error)) from None

    @classmethod
    def refused(cls, error: ValidationError) -> str:
        """The sentence for what the validator found."""
        return refusal(error)

    def __copy__(self) -> Self:
        """A copy is about to be given other values: what was worked out for the one is not for the other."""
        made = super().__copy__()
        fields = type(self).__pydantic_fields__
        if len(made.__dict__) > len(fields):
            for name in [name for name in made.__dict__ if name not in fields]:
                del made.__dict__[name]
        return made


def any_of(*members: type[Frozen]) -> Any:
    """The type of a value that is one of ``members``, told by its ``kind``: a family's list is its union too."""
    return Annotated[Union[members], Field(discriminator="kind")]  # noqa: UP007  a tuple takes no bars
