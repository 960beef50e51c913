"""What a delivered file says of its colour, and what no number of the standard can say."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from upwelling.core.delivery.form import Form
from upwelling.core.delivery.frames import said_of
from upwelling.core.delivery.order import Order
from upwelling.core.media.hdr_words import HdrWords
from upwelling.core.media.movie_write import MovieSettings
from upwelling.core.media.own_mark import words_for
from upwelling.core.media.tags import PRIMARIES, SAID_AS, TRANSFERS, ColourTags
from upwelling.core.outputs.mastering import LightLevel, MasteringDisplay
from upwelling.core.path import Path


@dataclass(frozen=True)
class Said:
    """The tags of a file, the name of its codes, and remarks on what could not be said."""

    tags: ColourTags
    encoding: str
    remarks: tuple[str, ...]


def tags_of(path: Path, form: Form) -> Said:
    """By the output, or by the encoding of a hand-over."""
    primaries, curve, name = said_of(path, form)
    remarks = []
    known = primaries.name if primaries.name in PRIMARIES.values() else ""
    transfer = SAID_AS.get(curve, curve)
    if transfer == "BT.709" and known == "BT.2020":
        transfer = "BT.2020"
    if transfer not in TRANSFERS.values():
        if form.movie:
            remarks.append(f"ITU-T H.273 has no number for {curve}: the file does not say its transfer, its name does.")
        transfer = ""
    if not known and form.movie:
        remarks.append(f"ITU-T H.273 has no number for {primaries.name} primaries: the file does not say them.")
    matrix = "RGB" if form.movie and form.movie.rgb else "BT.2020" if known == "BT.2020" else "BT.709"
    return Said(ColourTags(known, transfer, matrix, form.range), name, tuple(remarks))


def movie_settings(order: Order) -> MovieSettings:
    """How the encoder of a movie is opened; the first piece's output is every piece's."""
    form = order.form
    path = order.pieces[0].path
    said = tags_of(path, form)
    assert form.movie is not None
    return MovieSettings(
        form.movie,
        order.exact_rate,
        said.tags,
        said.tags.matrix,
        form.range,
        form.dithering,
        options={"crf": str(form.quality)} if form.quality and not form.movie.intra else {},
        pixel_aspect=order.framing_of(order.pieces[0]).pixel_aspect,
        bits_per_second=form.bits_per_second if not form.movie.intra else 0,
        fields=order.fields,
    )


def metadata_of(order: Order) -> dict[str, str]:
    """Free words for the container: the codes' name, and what it was made from."""
    said = tags_of(order.pieces[0].path, order.form)
    words = words_for({"encoding": said.encoding, "range": order.form.range})
    made = {"comment": f"{words} delivery {order.fingerprint[:16]}".strip()}
    return {**made, "title": order.title} if order.title else made


def hdr_words(order: Order, level: LightLevel) -> HdrWords | None:
    """What HDR10 says of the display and the light; None where the form is not HDR10."""
    if not order.form.hdr10 or order.form.boundary != "display":
        return None
    return HdrWords.of(MasteringDisplay.of(order.pieces[0].path.target), level)


def still_tags(order: Order, index: int) -> dict[str, object]:
    """What one still of a sequence says."""
    form, path = order.form, order.pieces[0].path
    primaries, curve, name = said_of(path, form)
    label = order.label
    rate: Fraction = order.exact_rate
    return {
        "primaries": primaries,
        "transfer": curve,
        "encoding": name,
        "range": form.range,
        "rate": rate,
        "timecode": str(label.later(index)) if label else "",
        "reel": order.reel,
    }
