"""What a person reads on a page, and what pages of bakes send."""

from upwelling.core.bake import RECEIVERS
from upwelling.web.footage.listing import loaded

PROGRAM = RECEIVERS[2].name
WISH = {
    "receiver": PROGRAM,
    "format": "cube",
    "size": "17",
    "start": "camera",
    "end": "display",
    "dimensions": "3",
    "shaper": "none",
    "carrier": "",
    "output": "",
}


def read(answer):
    """The page's HTML as one line: runs of white space are one space, and none stands beside a tag."""
    text = " ".join(answer.content.decode().split())
    return text.replace("> ", ">").replace(" <", "<")


def shots_of(production):
    """All its shots as lists have them."""
    return loaded(production, production.shots.values_list("pk", flat=True))
