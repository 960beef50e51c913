"""Outside witnesses: ffmpeg's libraries through PyAV, with nothing of ours in between."""

from pathlib import Path as FilePath

import av
import numpy as np


def ffmpeg_write(place: FilePath, rgb16: np.ndarray, codec: str, pixel_format: str) -> None:
    """Writes one picture with ffmpeg's own encoder; rgb16 is uint16 (H, W, 3) or float32 for float formats."""
    height, width = rgb16.shape[:2]
    with av.open(str(place), "w", format="image2", options={"update": "1"}) as container:
        stream = container.add_stream(codec, rate=1)
        stream.width, stream.height, stream.pix_fmt = width, height, pixel_format
        for packet in (*stream.encode(_frame(rgb16, pixel_format)), *stream.encode(None)):
            container.mux(packet)


def _frame(values: np.ndarray, pixel_format: str) -> av.VideoFrame:
    height, width = values.shape[:2]
    frame = av.VideoFrame(width, height, pixel_format)
    if pixel_format.startswith("gbr"):
        for plane, channel in zip(frame.planes, (1, 2, 0), strict=True):
            kind = ">" if pixel_format.endswith("be") else "<"
            data = values[..., channel].astype(kind + ("f4" if "f32" in pixel_format else "u2"))
            _fill(plane, data.view(np.uint8).reshape(height, -1))
    else:
        data = (
            values.astype((">" if pixel_format.endswith("be") else "<") + "u2")
            if "48" in pixel_format
            else values.astype(np.uint8)
        )
        _fill(frame.planes[0], np.ascontiguousarray(data).view(np.uint8).reshape(height, -1))
    return frame


def _fill(plane, rows: np.ndarray) -> None:
    padded = np.zeros((rows.shape[0], plane.line_size), np.uint8)
    padded[:, : rows.shape[1]] = rows
    plane.update(padded.tobytes())


def ffmpeg_lut3d(cube: FilePath, rgb: np.ndarray, interpolation: str) -> np.ndarray:
    """ffmpeg's lut3d filter on float32 (H, W, 3)."""
    height, width = rgb.shape[:2]
    graph = av.filter.Graph()
    source = graph.add_buffer(
        width=width, height=height, format=av.VideoFormat("gbrpf32le"), time_base=av.time_base and 1
    )
    lut = graph.add("lut3d", f"file={cube}:interp={interpolation}")
    sink = graph.add("buffersink")
    source.link_to(lut)
    lut.link_to(sink)
    graph.configure()
    source.push(_frame(rgb, "gbrpf32le"))
    out = sink.pull()
    planes = [np.frombuffer(bytes(p), np.float32).reshape(height, -1)[:, :width] for p in out.planes]
    return np.stack([planes[2], planes[0], planes[1]], axis=-1)


def ffmpeg_codes(place: FilePath) -> np.ndarray:
    """The first picture of a file, (H, W, 3) integers as ffmpeg decodes them: 16-bit big-endian RGB, as PNG is."""
    with av.open(str(place)) as container:
        frame = next(container.decode(video=0))
    assert frame.format.name == "rgb48be", frame.format.name
    plane = frame.planes[0]
    rows = np.frombuffer(bytes(plane), ">u2").reshape(frame.height, plane.line_size // 2)[:, : frame.width * 3]
    return rows.reshape(frame.height, frame.width, 3)
