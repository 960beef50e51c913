"""The forms everybody has, by name, and which of them a file's ending means."""

from __future__ import annotations

from upwelling.core.delivery.form import Form
from upwelling.core.errors import BadValue, UnknownName, UnwritableFile
from upwelling.core.outputs import Output

LOG_PRESET = "Log, DPX 12-bit"
"""For raw that shall lie beside coded footage; its log is the one of the maker's other cameras where they have one."""
PRESETS: tuple[Form, ...] = (
    Form(preset="ProRes 422 HQ", ending=".mov", codec="prores-422"),
    Form(preset="ProRes 4444", ending=".mov", codec="prores-4444"),
    Form(preset="DNxHR HQX", ending=".mov", codec="dnxhr-hqx"),
    Form(preset="H.264", ending=".mp4", codec="h264-8"),
    Form(preset="H.265 10-bit", ending=".mp4", codec="h265-10"),
    Form(preset="HDR10 H.265", ending=".mp4", codec="h265-10", hdr10=True, transfer="PQ"),
    Form(preset="HLG H.265", ending=".mp4", codec="h265-10", transfer="HLG"),
    Form(preset="H.265 4:4:4 12-bit", ending=".mp4", codec="h265-12"),
    Form(preset="VC-5 RGB 12-bit", ending=".mov", codec="cineform-12", range="full"),
    Form(preset="FFV1 RGB 12-bit", ending=".mkv", codec="ffv1-rgb-12", range="full"),
    Form(preset="FFV1 RGB 16-bit", ending=".mkv", codec="ffv1-rgb-16", range="full"),
    Form(preset="DPX 10-bit", ending=".dpx", depth="10", range="full"),
    Form(preset=LOG_PRESET, ending=".dpx", depth="12", range="full", boundary="input", encoding="ACEScct/AP1"),
    Form(preset="EXR half", ending=".exr", depth="half", range="full", boundary="look", encoding="linear/AP0"),
    Form(preset="TIFF 16-bit", ending=".tif", depth="16", range="full"),
    Form(preset="PNG 16-bit", ending=".png", depth="16", range="full"),
)
_ENDINGS = {
    ".mov": "ProRes 422 HQ",
    ".mp4": "H.264",
    ".m4v": "H.264",
    ".mxf": "DNxHR HQX",
    ".mkv": "H.265 10-bit",
    ".dpx": "DPX 10-bit",
    ".exr": "EXR half",
    ".tif": "TIFF 16-bit",
    ".tiff": "TIFF 16-bit",
    ".png": "PNG 16-bit",
}
_OTHER_ENDINGS = {
    "ProRes 422 HQ": (".mov", ".mkv", ".mxf"),
    "ProRes 4444": (".mov", ".mkv", ".mxf"),
    "DNxHR HQX": (".mov", ".mxf", ".mkv"),
    "H.264": (".mp4", ".m4v", ".mov", ".mkv"),
    "H.265 10-bit": (".mp4", ".m4v", ".mov", ".mkv"),
    "HDR10 H.265": (".mp4", ".m4v", ".mov"),
    "HLG H.265": (".mp4", ".m4v", ".mov", ".mkv"),
    "H.265 4:4:4 12-bit": (".mp4", ".mov", ".mkv"),
    "TIFF 16-bit": (".tif", ".tiff"),
}


def preset(name: str) -> Form:
    """By its name in any case; raises UnknownName."""
    found = next((form for form in PRESETS if form.preset.lower() == name.strip().lower()), None)
    if found is None:
        raise UnknownName("preset", name, [form.preset for form in PRESETS])
    return found


def preset_for(ending: str, target: Output | None) -> Form:
    """What an ending means for an output: an .mp4 of PQ is HDR10; raises UnwritableFile."""
    name = _ENDINGS.get(ending.lower(), "")
    if not name:
        raise UnwritableFile(ending, f"is no ending a delivery has; use {', '.join(_ENDINGS)}, or name a preset.")
    if name == "H.264" and target is not None and target.curve_name in ("PQ", "HLG"):
        name = "HDR10 H.265" if target.curve_name == "PQ" else "HLG H.265"
    return with_ending(preset(name), ending)


def with_ending(form: Form, ending: str) -> Form:
    """The form in another container; raises BadValue for one that it does not go into."""
    held = _OTHER_ENDINGS.get(form.preset, (form.ending,))
    if ending.lower() not in held:
        raise BadValue(f"{form.preset or form.title} is written to {' or '.join(held)}, not to “{ending}”.")
    return form.model_copy(update={"ending": ".tif" if ending.lower() == ".tiff" else ending.lower()})


def serves(form: Form, target: Output) -> str:
    """Why a form is not for an output; empty where it is."""
    if form.boundary == "display" and form.transfer and target.curve_name != form.transfer:
        return (
            f"{form.preset} carries {form.transfer}; {target.name} is {target.curve_name}. Choose an output of "
            f"{form.transfer}."
        )
    return ""
