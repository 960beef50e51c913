"""Orders made from files and paths, with what a person should know before they start."""

from __future__ import annotations

import json
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any, Literal

import numpy as np
from pydantic import ValidationError

from upwelling.core.delivery.form import BOUNDARIES, Form
from upwelling.core.delivery.frames import Renderer, clipped_part, ways
from upwelling.core.delivery.order import Damage, Order, Piece
from upwelling.core.delivery.presets import serves
from upwelling.core.delivery.resample import FILTER
from upwelling.core.delivery.sound import sound_for
from upwelling.core.delivery.tags import tags_of
from upwelling.core.delivery.through import Through
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.media import FileFacts, Movie, Reading
from upwelling.core.media.even import EvenMovie, even_rate, is_uneven
from upwelling.core.media.fields import SAID
from upwelling.core.media.rates import exact_rate, rate_text, read_rate
from upwelling.core.media.timecode import Timecode
from upwelling.core.parameters import refusal
from upwelling.core.path import Path, stages_between

Uneven = Literal["hold", "count"]
STILL_RATE = Fraction(24)
"""What stills without a rate are delivered at; common practice of film, no source."""


def piece_of(
    file: FilePath,
    path: Path,
    first: int,
    last: int,
    reading: Reading,
    *,
    members: Sequence[FilePath] = (),
    name: str = "",
    sha256: str = "",
    uneven: Uneven = "count",
    turn: bool = True,
) -> Piece:
    """Frames of a file under a path; raises BadValue where it has not all of them.

    ``uneven``: those of a movie of uneven rate are held in their times, or counted one after the other. ``turn``:
    pictures are turned as the file asks.
    """
    try:
        piece = Piece(
            name=name or file.name,
            file=str(file),
            members=tuple(str(member) for member in members),
            first=first,
            last=last,
            recipe=json.loads(path.to_recipe()),
            range=reading.range,
            matrix=reading.matrix,
            siting=reading.siting,
            sha256=sha256,
        )
    except ValidationError as error:
        raise BadValue(refusal(error)) from None
    if turn and piece.footage.facts.turned:
        piece = piece.model_copy(update={"turned": piece.footage.facts.turned})
    if piece.footage.facts.fields:
        piece = piece.model_copy(update={"fields": piece.footage.facts.fields})
    frames = piece.footage.facts.frames
    if last >= frames:
        raise BadValue(f"{piece.name} has frames 0 to {frames - 1}; {first} to {last} were asked for.")
    if uneven == "hold" and is_uneven(piece.footage):
        rate = even_rate(Movie(file))
        first, last = EvenMovie(file, rate).range_of(first, last)
        return piece.model_copy(update={"first": first, "last": last, "even": str(rate)})
    return piece


def order_for(
    pieces: Sequence[Piece],
    form: Form,
    *,
    rate: str = "",
    timecode: str | None = None,
    reel: str | None = None,
    sound: bool = True,
    sound_kbps: int = 0,
    damage: Damage = "stop",
    title: str = "",
    through: Through | None = None,
) -> Order:
    """What is not said follows the first source: its rate, its timecode at its first frame, its reel.

    Raises BadValue or UnreadableFile for what cannot be delivered.
    """
    facts = pieces[0].footage.facts
    own = exact_rate(facts.rate) if facts.rate else STILL_RATE
    wanted = read_rate(rate) if rate else own
    label = timecode if timecode is not None else _label(facts, pieces[0], own, wanted)
    order = Order.checked(
        {
            "pieces": [piece.model_dump(mode="json") for piece in pieces],
            "form": form.model_dump(mode="json"),
            "rate": f"{wanted.numerator}/{wanted.denominator}" if wanted.denominator != 1 else str(wanted.numerator),
            "timecode": label,
            "reel": reel if reel is not None else _reel(facts),
            "sound": sound,
            "sound_kbps": sound_kbps,
            "damage": damage,
            "title": title,
            "through": through.model_dump(mode="json") if through else None,
            "first_number": 0 if len(pieces) > 1 else pieces[0].first,
        }
    )
    check(order)
    return order


def check(order: Order) -> None:
    """Raises BadValue for pieces that cannot be one picture, or a form that is not for their output."""
    first = order.pieces[0].path
    for piece in order.pieces:
        path = piece.path
        if order.form.boundary == "display" and path.display.output != first.display.output:
            raise BadValue(
                f"{piece.name} is finished for {path.display.output}, the first piece for {first.display.output}. "
                "Deliver them for one output."
            )
        refused = serves(order.form, path.target)
        if refused:
            raise BadValue(refused)
        ways(path.at(piece.first), order.form)
        order.framing_of(piece)
        facts = piece.footage.facts
        if facts.interlaced and order.form.sizing != "source":
            raise BadValue(f"{piece.name} is interlaced: another size would mix its fields. Keep the source's size.")


def _label(facts: FileFacts, piece: Piece, own: Fraction, wanted: Fraction) -> str:
    """The first frame's timecode; at another rate the same time of day."""
    begins = Timecode.read(str(facts.metadata.get("timecode", "")), float(own))
    if begins is None:
        return ""
    label = str(begins.later(piece.first))
    if wanted == own:
        return label
    hours, minutes, rest = label[:2], label[3:5], label[6:]
    seconds, frames = rest[:2], int(rest[3:])
    return f"{hours}:{minutes}:{seconds}:{int(frames * wanted / own):02}"


def _reel(facts: FileFacts) -> str:
    said = {key.lower(): value for key, value in facts.metadata.items()}
    return str(said.get("reel_name") or said.get("reel") or said.get("reelname") or "")[:120]


def stages_of(order: Order) -> list[str]:
    """What will act, in order, of the first piece and of the form."""
    piece, form = order.pieces[0], order.form
    path = piece.path
    acts = [f"read as {path.input.encoding}, {piece.range} range" if path.input.on else "codes taken as they are"]
    if path.camera.raw is not None:
        acts = ["developed from raw at full quality"]
    if path.input.correction is not None and path.input.correction.acts and path.input.on:
        acts.append("camera's correction")
    carried = stages_between("camera", form.boundary)
    layers = {
        layer.kind: layer.sentence() for layer in path.layers if layer.kind in carried and layer.acting(path.target)
    }
    if order.through is not None:
        return [acts[0], order.through.sentence, *_written_as(order, piece)]
    acts += [said for kind, said in layers.items() if kind != "finish"]
    if form.boundary == "display":
        acts.append(f"rendering for {path.display.output}" if path.rendering.on else "primaries alone: no rendering")
    acts += [said for kind, said in layers.items() if kind == "finish"]
    return acts + _written_as(order, piece)


def _written_as(order: Order, piece: Piece) -> list[str]:
    """What acts on finished codes: turning, size, coding, dither; then timecode and sound."""
    form, path, acts = order.form, piece.path, []
    framed = order.framing_of(piece)
    if piece.turned:
        acts.append(f"turned by {piece.turned}° counterclockwise, as the file asks")
    if framed.scales:
        acts.append(f"resampled: {FILTER}")
    acts.append(framed.sentence())
    acts.append(f"coded as {tags_of(path, form).encoding}, {form.range} range")
    if form.dithering != "none":
        acts.append(f"dithered: {form.dithering}")
    acts.append(f"timecode from {order.timecode}" if order.timecode else "no timecode, as the source has none")
    acts.append(_sound_said(order))
    return acts


def _sound_said(order: Order) -> str:
    """What becomes of the first piece's sound, in few words; ``remarks_on`` says why."""
    if order.form.movie is None:
        return "no sound: stills carry none"
    sound, why = sound_for(order)
    return (
        "with its sound"
        if sound is not None
        else "its sound is left out"
        if why
        else "no sound, as the source has none"
    )


def remarks_on(order: Order) -> list[str]:
    """What a person should know before it starts; nothing is decoded."""
    found: list[str] = []
    form = order.form
    own = [exact_rate(p.footage.facts.rate) for p in order.pieces if p.footage.facts.rate]
    if own and own[0] != order.exact_rate:
        faster = float(order.exact_rate / own[0])
        found.append(
            f"The same frames at another rate: {rate_text(own[0])} plays as {rate_text(order.exact_rate)}, at "
            f"{faster * 100:.0f} % of its speed."
        )
    if len(set(own)) > 1:
        found.append(
            f"The pieces were recorded at {', '.join(sorted({rate_text(r) for r in own}))} frames a second; all are "
            f"written at {rate_text(order.exact_rate)}."
        )
    for piece in order.pieces:
        path = piece.path
        name = piece.name
        if not path.input.on:
            found.append(
                f"{name}: its Input is off or its encoding is not settled; its codes are delivered as they are."
            )
        elif form.boundary == "display" and not path.rendering.on:
            found.append(f"{name}: its rendering is off; scene light is coded without a tone map.")
        if piece.footage.facts.interlaced:
            marked = SAID[order.fields] if form.movie else "in no way"
            found.append(f"{name} is interlaced; its frames are written as they lie, and marked {marked}.")
        found += [f"{name}: {note}" for note in piece.footage.facts.notes]
        if not piece.even and is_uneven(piece.footage):
            found.append(f"{name}: {_out_of_time(piece, order.exact_rate)}")
    if order.framing_of(order.pieces[0]).pixel_aspect != 1 and form.movie is None:
        found.append("The source's pixels are not square; stills do not say so.")
    found += tags_of(order.pieces[0].path, form).remarks
    hlg = order.pieces[0].path.target.curve_name == "HLG" and form.boundary == "display"
    if hlg and form.range == "full" and not form.is_float:
        # BT.2100's inverse OOTF gives saturated light near the peak a signal above 1, which BT.2100 allows.
        found.append(
            "HLG: saturated light near the peak has codes up to 1.03, which full range cuts; legal keeps them."
        )
    if form.code_bits == 8 and order.pieces[0].path.target.is_hdr and form.boundary == "display":
        found.append("HDR in 8 bit shows steps; 10 bit is usual.")
    if form.codec == "prores-4444":
        found.append(
            "The encoder is given 10 bits, and decoders make 12 of them. 12 true bits go out as VC-5 RGB, FFV1 RGB or "
            "H.265 4:4:4."
        )
    if form.dither in ("blue noise", "diffused") and form.dithering == "none":
        found.append(f"Nothing is dithered: {form.title} is rounded, whatever dither is chosen.")
    if order.through is not None:
        found.append("Made through a proved table: codes beyond 0…1 of the source are held at its edge.")
    if form.movie is not None and (heard := sound_for(order)[1]):
        found.append(heard)
    if form.boundary != "display" and not form.is_float and form.encoding.startswith("linear/"):
        found.append("Linear light in integers has no steps left in the shadows; half float is usual.")
    if form.ending == ".exr" and form.boundary == "display":
        found.append("An OpenEXR file is taken for linear light; this one holds the output's codes, and says so.")
    if form.boundary != "display" and form.movie:
        found.append(f"{BOUNDARIES[form.boundary].capitalize()}: the stream's tags cannot name {form.encoding}.")
    return list(dict.fromkeys(found))


def _out_of_time(piece: Piece, rate: Fraction) -> str:
    times = Movie(piece.file).times[piece.first : piece.last + 1]
    off = np.abs(times - times[0] - np.arange(len(times)) / float(rate)).max()
    return f"written one after the other, its pictures are up to {off * 1000:.0f} ms from the times they were taken at."


def clipped_at(order: Order, most: int) -> list[tuple[str, float]]:
    """Of the middle frames of the first pieces, the share of pixels beyond what the file holds; decodes and renders
    them.
    """
    found = []
    for piece in order.pieces[:most]:
        middle = (piece.first + piece.last) // 2
        try:
            code: Any = piece.footage.frame(middle, piece.reading).code
        except UnreadableFile:
            continue
        signal = Renderer(order, piece).signal(code, middle)
        found.append((piece.name, clipped_part(signal, order.form)))
    return found
