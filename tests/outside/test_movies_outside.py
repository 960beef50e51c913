"""Movies written by ffmpeg's own program (Debian's): every frame the one its number says, damage owned up to, tags and
layouts read or refused.

Made by: ffmpeg 5.1 with libx264, libx265, libvpx. Witness of the pixels: a decode of the whole file from its start, by
frame count.
"""

import random

import av
import numpy as np
import pytest

from tests.outside.conftest import run
from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.encodings import legal_to_full
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import Movie, Reading, open_footage
from upwelling.core.media.movie_decode import Damaged, frames_at
from upwelling.core.media.ycbcr import Planes, to_rgb_code, weights_of
from upwelling.core.recognise import FileClues, recognise_file, signal_facts

SOURCE = "ffmpeg -v error -y -f lavfi -i testsrc2=size={size}:rate=24:duration=4 "
X265 = "-c:v libx265 -x265-params log-level=none:"
UNEVEN = "-vf select='not(mod(n\\,3))+eq(mod(n\\,7)\\,1)' -vsync vfr "
KINDS = {
    "x264_b.mp4": "-c:v libx264 -bf 3 -g 48",
    "x264_open.mp4": "-c:v libx264 -x264-params open-gop=1:bframes=3:keyint=30",
    "x264.avi": "-c:v libx264 -bf 3 -g 30",
    "x264.mxf": "-c:v libx264 -bf 2 -g 15 -pix_fmt yuv422p10",
    "x264.ts.mkv": "-c:v libx264 -bf 3 -g 30 -f mpegts",
    "x264_refresh.mkv": "-c:v libx264 -x264-params intra-refresh=1:keyint=30",
    "x264_refs.mkv": "-c:v libx264 -x264-params ref=8:bframes=5:b-pyramid=normal:keyint=40",
    "x264_fragments.mp4": "-c:v libx264 -bf 2 -g 30 -movflags frag_keyframe+empty_moov",
    "x264_every.mp4": "-c:v libx264 -bf 2 -g 30 -movflags frag_every_frame+empty_moov+default_base_moof",
    "x264_fields.mkv": "-c:v libx264 -flags +ildct+ilme -x264-params tff=1:keyint=24",
    "x264_endless.mp4": "-c:v libx264 -bf 2 -g 9999",
    "x264_10.mov": "-c:v libx264 -bf 2 -g 20 -pix_fmt yuv422p10",
    "x264_rgb.mkv": "-c:v libx264rgb -g 20",
    "x265_b.mp4": X265 + "bframes=4",
    "x265_open.mkv": X265 + "open-gop=1:keyint=24:bframes=4",
    "x265_open.mp4": X265 + "open-gop=1:keyint=24:bframes=4",
    "x265_closed.mov": X265 + "open-gop=0:keyint=24",
    "x265_10.mp4": X265 + "keyint=30 -pix_fmt yuv420p10",
    "mpeg2.mov": "-c:v mpeg2video -bf 2 -g 15",
    "mpeg2.mkv": "-c:v mpeg2video -bf 2 -g 12",
    "mpeg2.mxf": "-c:v mpeg2video -bf 2 -g 12",
    "mpeg2.avi": "-c:v mpeg2video -bf 2 -g 12",
    "mpeg4.avi": "-c:v mpeg4 -bf 2 -g 24",
    "mpeg4.mp4": "-c:v mpeg4 -bf 2 -g 24",
    "vp9.mkv": "-c:v libvpx-vp9 -g 48 -deadline realtime -cpu-used 8",
    "vp9_hidden.mkv": "-c:v libvpx-vp9 -g 48 -auto-alt-ref 1 -lag-in-frames 16 -cpu-used 5",
    "vp8_hidden.mkv": "-c:v libvpx -auto-alt-ref 1 -lag-in-frames 16 -g 48 -cpu-used 5",
    "prores.mov": "-c:v prores_ks",
    "prores.mkv": "-c:v prores_ks",
    "dnxhd.mxf": "-c:v dnxhd -profile:v dnxhr_hq",
    "dnxhd.mov": "-c:v dnxhd -profile:v dnxhr_hq",
    "ffv1.mkv": "-c:v ffv1 -level 3 -g 1 -slicecrc 1 -slices 4",
    "ffv1_group.mkv": "-c:v ffv1 -level 3 -g 10",
    "ffv1.avi": "-c:v ffv1",
    "mjpeg.avi": "-c:v mjpeg",
    "mjpeg.mov": "-c:v mjpeg",
    "v210.mov": "-c:v v210",
    "raw.avi": "-c:v rawvideo -pix_fmt yuv420p",
    "huff.mkv": "-c:v ffvhuff",
    "uneven.mp4": UNEVEN + "-c:v libx264 -bf 3 -g 20",
    "uneven.mkv": UNEVEN + "-c:v libx264 -bf 3 -g 20",
}
AGAIN = {
    "edit_b.mp4": ("x264_b.mp4", "ffmpeg -v error -y -ss 1.1 -i x264_b.mp4 -c copy {out}"),
    "edit_265.mp4": ("x265_b.mp4", "ffmpeg -v error -y -ss 2.6 -i x265_b.mp4 -c copy {out}"),
    "edit_prores.mov": ("prores.mov", "ffmpeg -v error -y -ss 1.1 -i prores.mov -c copy {out}"),
    "cut_open.mkv": ("x265_open.mkv", "ffmpeg -v error -y -ss 1.3 -i x265_open.mkv -c copy {out}"),
    "cut_open_264.mkv": ("x264_open.mp4", "ffmpeg -v error -y -ss 1.3 -i x264_open.mp4 -c copy {out}"),
    "late.mov": ("x264_b.mp4", "ffmpeg -v error -y -itsoffset 1.5 -i x264_b.mp4 -c copy {out}"),
    "offset.mkv": ("x264_b.mp4", "ffmpeg -v error -y -i x264_b.mp4 -c copy -output_ts_offset 100 {out}"),
}


def recipe(name: str) -> str:
    size = "256x128" if name.startswith("dnxhd") else "96x64"
    return SOURCE.format(size=size) + KINDS[name] + " {out}"


def shown(frame) -> bytes:
    plane = frame.planes[0]
    wide = frame.width * (2 if max(c.bits for c in frame.format.components) > 8 else 1)
    return np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)[:, :wide].tobytes()


def whole_decode(path) -> list[bytes]:
    with av.open(str(path)) as container:
        return [shown(frame) for frame in container.decode(container.streams.video[0])]


@pytest.mark.parametrize("name", [*KINDS, *AGAIN])
def test_frame_n_is_frame_n(workshop, name):
    """As many frames as a whole decode gives, and twelve of them taken at random, forwards and backwards, are the very
    same.
    """
    if name in AGAIN:
        workshop(AGAIN[name][0], recipe(AGAIN[name][0]))
    path = workshop(name, AGAIN[name][1] if name in AGAIN else recipe(name))
    movie, wanted = Movie(path), whole_decode(path)
    assert any("uneven rate" in note for note in movie.facts.notes) is name.startswith("uneven")
    assert movie.facts.frames == len(wanted) > 30
    numbers = [random.Random(name).randrange(len(wanted)) for _ in range(12)]
    for number in (*numbers, *sorted(numbers, reverse=True)):
        assert shown(next(frames_at(path, movie.index, [number]))) == wanted[number], number
    rising = sorted({0, *numbers, len(wanted) - 1})
    assert [shown(frame) for frame in frames_at(path, movie.index, rising)] == [wanted[n] for n in rising]


def broken(path, index, number: int, flips: int = 3, seed: int = 1):
    """A copy of a movie in which bits of one frame's packet are turned over."""
    rnd, data = random.Random(seed), bytearray(path.read_bytes())
    packet = int(index.order[number])
    start, size = int(index.pos[packet]), int(index.size[packet])
    for _ in range(flips):
        data[start + rnd.randrange(size // 3, size)] ^= 1 << rnd.randrange(8)
    place = path.with_name(f"broken-{number}-{seed}-{path.name}")
    place.write_bytes(data)
    return place


@pytest.mark.parametrize(
    ("name", "found_in"),
    [("ffv1.mkv", 20), ("ffv1_group.mkv", 20), ("prores.mov", 8), ("x264_b.mp4", 8), ("mpeg2.mov", 12)],
)
def test_damage_is_never_passed_over(workshop, name, found_in):
    """Twenty broken copies: every frame that is given is either whole or from data in which its codec has no means to
    see the damage.

    FFV1 has checksums: nothing is missed. The others only see what breaks their syntax; how often at least is in the
    table.
    """
    path = workshop(name, recipe(name))
    index, wanted = Movie(path).index, whole_decode(path)
    seen = 0
    for seed in range(20):
        number = 20 + 2 * seed
        place = broken(path, index, number, seed=seed)
        movie = Movie(place)
        assert movie.facts.frames >= number + 10
        refused, said = False, []
        for at in range(number, number + 10):
            try:
                given = shown(next(frames_at(place, movie.index, [at])))
            except Damaged as error:
                refused = True
                said.append(str(error))
            else:
                assert found_in < 20 or given == wanted[at]
        seen += refused
        assert all("frame " in text and "Copy" in text for text in said)
        assert shown(next(frames_at(place, movie.index, [2]))) == wanted[2]
        place.unlink()
    assert seen >= found_in


def test_a_file_cut_short_says_so(workshop):
    """The last packets of an MKV cut off: frames that are there are counted; a broken end is said."""
    path = workshop("x264_refs.mkv", recipe("x264_refs.mkv"))
    whole = Movie(path).facts.frames
    place = path.with_name("short.mkv")
    place.write_bytes(path.read_bytes()[: int(path.stat().st_size * 0.6)])
    facts = Movie(place).facts
    assert 0 < facts.frames < whole
    assert facts.frames == len(list(Movie(place).luma_frames()))
    assert any("announces" in note and "breaks off" in note for note in facts.notes)


MATRICES = [
    ("fcc", "FCC"),
    ("ycgco", "YCgCo"),
    ("bt2020nc", "BT.2020"),
    ("smpte240m", "SMPTE 240M"),
    ("bt470bg", "BT.601"),
    ("chroma-derived-nc", "derived NCL"),
]
REFUSED = [("bt2020c", "BT.2020 CL"), ("ictcp", "ICtCp"), ("smpte2085", "ST 2085"), ("chroma-derived-c", "derived CL")]
TAGGED = (
    "ffmpeg -v error -y -f lavfi -i testsrc2=size=96x64:duration=0.2,format=yuv444p -c:v libx264 -qp 0 "
    "-color_primaries bt709 -colorspace {} {{out}}"
)


@pytest.mark.parametrize(("said", "name"), [*MATRICES, *REFUSED])
def test_matrices_by_name(workshop, said, name):
    """Every matrix of H.273 table 4 that ffmpeg can tag: decoded by its own definition, or refused with its name."""
    path = workshop(f"matrix-{said}.mp4", TAGGED.format(said))
    movie = Movie(path)
    assert movie.facts.tags.matrix == name
    if (said, name) in REFUSED:
        with pytest.raises(UnreadableFile, match=f"kept as {name}, which is not read. Hand in"):
            movie.frame(0)
        movie.frame(0, Reading("legal", "BT.709"))  # a person may know better
        return
    frame = next(frames_at(path, movie.index, [0]))
    y, cb, cr = (np.frombuffer(p, np.uint8).reshape(-1, p.line_size)[:, :96].astype(float) for p in frame.planes)
    y, cb, cr = (y - 16) / 219, (cb - 128) / 224, (cr - 128) / 224
    if name == "YCgCo":  # H.273 equations 54 to 57
        wanted = np.stack([y - cb + cr, y + cb, y - cb - cr], axis=-1)
    else:
        kr, kb = {
            "FCC": (0.3, 0.11),
            "BT.2020": (0.2627, 0.0593),
            "SMPTE 240M": (0.212, 0.087),
            "BT.601": (0.299, 0.114),
            "derived NCL": (0.2126, 0.0722),
        }[name]
        r, b = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
        wanted = np.stack([r, (y - kr * r - kb * b) / (1 - kr - kb), b], axis=-1)
    np.testing.assert_allclose(
        legal_to_full(movie.frame(0).code, 8), wanted, atol=3e-4 if name == "derived NCL" else 2e-5
    )


@pytest.mark.slow
@pytest.mark.parametrize(("space", "k_r", "k_b"), [("BT.709", 0.2126, 0.0722), ("BT.2020", 0.2627, 0.0593)])
def test_weights_follow_from_primaries(space, k_r, k_b):
    """BT.709-6 and BT.2020-2 round the weights that their primaries give to four digits."""
    assert weights_of(PRIMARIES[space]) == pytest.approx((k_r, k_b), abs=6e-5)


@pytest.mark.parametrize(
    ("codec", "ending"),
    [
        ("libx264", "mp4"),
        ("libx264", "mkv"),
        ("libx264", "avi"),
        ("libx265", "mp4"),
        ("libx265", "mkv"),
        ("ffv1", "mkv"),
    ],
)
@pytest.mark.parametrize(
    ("said", "name"),
    [("left", "left"), ("center", "centre"), ("topleft", "top left"), ("top", "top"), ("bottomleft", "bottom left")],
)
def test_chroma_sits_where_the_stream_says(workshop, codec, ending, said, name):
    """ffmpeg's -chroma_sample_location, as written into H.264's and H.265's headers and Matroska's own elements."""
    number = ["left", "center", "topleft", "top", "bottomleft"].index(said)
    extra = {
        "libx264": f"-x264-params chromaloc={number}",
        "libx265": f"-x265-params chromaloc={number}:log-level=none",
        "ffv1": "",
    }[codec]
    if codec == "ffv1" and said == "bottomleft":
        pytest.skip("Matroska has no such place")
    path = workshop(
        f"loc-{said}-{codec}.{ending}",
        "ffmpeg -v error -y -f lavfi -i testsrc2=size=96x64:duration=0.2,format=yuv420p "
        f"-c:v {codec} {extra} -chroma_sample_location {said} {{out}}",
    )
    facts = Movie(path).facts
    assert facts.siting == name
    assert not any("does not say where" in note for note in facts.notes)


def test_an_unsaid_place_of_chroma_is_remarked(workshop):
    path = workshop(
        "raw420.avi",
        "ffmpeg -v error -y -f lavfi -i testsrc2=size=96x64:duration=0.2,format=yuv420p -c:v rawvideo {out}",
    )
    assert (
        "The file does not say where its 4:2:0 chroma sits: it is read as left, as is usual." in Movie(path).facts.notes
    )


@pytest.mark.parametrize("is_fielded", [False, True])
def test_chroma_of_fields(workshop, is_fielded):
    """4:2:0 against ffmpeg's own scaler (swscale, bilinear, full chroma), progressive and with interl=1: within two
    8-bit codes away from edges.

    Read the other way, the same planes are further off by far.
    """
    flags = "-flags +ildct+ilme -x264-params tff=1" if is_fielded else ""
    path = workshop(
        f"fields-{is_fielded}.mkv",
        "ffmpeg -v error -y -f lavfi -i nullsrc=size=128x96:duration=0.2,format=rgb24,"
        f"geq=r=128+100*sin(Y/6):g=128-100*sin(Y/6):b=128,format=yuv420p,setfield={'tff' if is_fielded else 'prog'} "
        f"-c:v libx264 -qp 0 {flags} -color_range tv -colorspace bt709 {{out}}",
    )
    theirs = workshop(
        f"fields-{is_fielded}.rgb",
        f"ffmpeg -v error -y -i fields-{is_fielded}.mkv -frames:v 1 -sws_flags bilinear+accurate_rnd+full_chroma_int "
        f"-vf scale=interl={int(is_fielded)}:in_color_matrix=bt709:in_range=tv:out_range=pc -pix_fmt gbrp16le -f "
        f"rawvideo {{out}}",
    )
    g, b, r = np.fromfile(theirs, "<u2").reshape(3, 96, 128) / 65535
    movie = Movie(path)
    assert any("Interlaced" in note for note in movie.facts.notes) is is_fielded
    ours = np.clip(legal_to_full(movie.frame(0).code, 8), 0, 1)
    inner = (slice(8, -8), slice(8, -8))
    assert np.abs(ours - np.stack([r, g, b], -1))[inner].max() * 255 < 2
    frame = next(frames_at(path, movie.index, [0]))
    planes = [
        np.frombuffer(p, np.uint8).reshape(-1, p.line_size)[:, :w]
        for p, w in zip(frame.planes, (128, 64, 64), strict=True)
    ]
    other = np.clip(
        legal_to_full(to_rgb_code(Planes(*planes, 8), "BT.709", "legal", "left", fields=not is_fielded), 8), 0, 1
    )
    assert np.abs(other - ours)[inner].max() * 255 > 1


@pytest.mark.parametrize(
    ("layout", "depth", "scale"),
    [
        ("yuv420p9le", 9, 10),
        ("yuv444p9le", 9, 10),
        ("yuv444p14le", 14, 16),
        ("gray9le", 9, 10),
        ("gbrp9le", 9, 10),
        ("gbrp14le", 14, 16),
    ],
)
@pytest.mark.parametrize("code_range", ["legal", "full"])
def test_odd_depths_keep_black_and_white(workshop, layout, depth, scale, code_range):
    """9 and 14 bit FFV1: legal codes stand where BT.2100-2 table 9 has them on the scale of the file's depth.

    Planes filled by hand.
    """
    path = workshop("x264_b.mp4", recipe("x264_b.mp4")).with_name(f"odd-{layout}.mkv")
    picture = av.VideoFrame(64, 48, layout)
    grey = layout.startswith("gray") or layout.startswith("gbr")
    for i, plane in enumerate(picture.planes):
        value = 2 ** (depth - 1) if i and not grey else 200 * 2 ** (depth - 8) + 1
        plane.update(np.full(plane.buffer_size // 2, value, np.uint16).tobytes())
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=2)
        stream.width, stream.height, stream.pix_fmt = 64, 48, layout
        container.mux(stream.encode(picture))
        container.mux(stream.encode())
    movie = Movie(path)
    frame = next(frames_at(path, movie.index, [0]))
    stored = int(np.frombuffer(frame.planes[0], "<u2")[0])
    assert movie.facts.depth == str(scale)
    code = float(movie.frame(0, Reading(code_range, "BT.709")).code[20, 20, 1])
    signal = (
        (stored - 16 * 2 ** (depth - 8)) / (219 * 2 ** (depth - 8))
        if code_range == "legal"
        else stored / (2**depth - 1)
    )
    assert (float(legal_to_full(code, scale)) if code_range == "legal" else code) == pytest.approx(signal, abs=2e-5)


@pytest.mark.parametrize(
    ("layout", "said", "expected"),
    [
        ("gray", "tv", "legal"),
        ("gray", "pc", "full"),
        ("gray10le", "tv", "legal"),
        ("gbrp", "tv", "legal"),
        ("gbrp", "pc", "full"),
    ],
)
def test_range_of_grey_and_rgb(workshop, layout, said, expected):
    """The range tag counts for grey and R'G'B' as well."""
    path = workshop(
        f"range-{layout}-{said}.mkv",
        f"ffmpeg -v error -y -f lavfi -i testsrc2=size=64x48:duration=0.2,format={layout} -c:v ffv1 -color_range "
        f"{said} {{out}}",
    )
    movie = Movie(path)
    assert movie.default_reading.range == movie.facts.tags.range == expected


@pytest.mark.parametrize(
    ("tags", "words"),
    [
        ("-color_trc arib-std-b67 -color_primaries bt709 -colorspace bt709", "HLG with BT.709 primaries"),
        ("-color_trc smpte2084 -color_primaries bt2020 -colorspace smpte170m", "PQ with the BT.601 matrix"),
        ("-color_trc bt709 -color_primaries bt2020 -colorspace bt709", "BT.2020 primaries with the BT.709 matrix"),
    ],
)
def test_contradicting_tags_are_said(workshop, tags, words):
    path = workshop(
        f"tags-{abs(hash(words))}.mp4",
        f"ffmpeg -v error -y -f lavfi -i testsrc2=size=96x64:duration=0.2 -c:v libx264 {tags} {{out}}",
    )
    assert any(words in note for note in Movie(path).facts.notes)


def test_a_size_that_changes(workshop):
    """Two sizes in one H.264 stream: frames of the first size are read, the others refused by their size."""
    for i, size in enumerate(("96x64", "64x48")):
        workshop(
            f"part{i}.ts",
            f"ffmpeg -v error -y -f lavfi -i testsrc2=size={size}:duration=1 -c:v libx264 -g 10 -bf 0 {{out}}",
        )
    path = workshop("sizes.mkv", "ffmpeg -v error -y -i concat:part0.ts|part1.ts -c copy {out}")
    movie = Movie(path)
    assert movie.frame(3).width == 96
    with pytest.raises(UnreadableFile, match="64 × 48 where the movie began with 96 × 64"):
        movie.frame(movie.facts.frames - 3)


def test_a_turned_movie_says_so(workshop):
    workshop("x264_b.mp4", recipe("x264_b.mp4"))
    path = workshop("turned.mp4", "ffmpeg -v error -y -i x264_b.mp4 -c copy -metadata:s:v rotate=90 {out}")
    assert any("turned by" in note for note in open_footage(path).facts.notes)


def test_the_index_is_found_again(workshop, monkeypatch, tmp_path):
    """A long file's index is kept by content and read back to the same frames."""
    from upwelling.core.media import movie_kept

    monkeypatch.setenv("UPWELLING_INDEX_CACHE", str(tmp_path))
    monkeypatch.setattr(movie_kept, "KEPT_FROM", 0.0)
    path = workshop("x264.avi", recipe("x264.avi"))
    movie_kept._kept.clear()
    made = movie_kept.index_of(path)
    assert len(list(tmp_path.iterdir())) == 1
    movie_kept._kept.clear()
    found = movie_kept.index_of(path)
    assert found is not made
    assert found.by_decoding
    assert found.order.tolist() == made.order.tolist()
    next(tmp_path.iterdir()).write_bytes(b"spoilt")
    movie_kept._kept.clear()
    assert movie_kept.index_of(path).order.tolist() == made.order.tolist()


def test_tools_are_what_the_table_says(tmp_path):
    assert run("ffmpeg -version", tmp_path).startswith("ffmpeg version")


def test_contradicting_tags_settle_nothing(workshop):
    """HLG with BT.709 primaries is no known encoding: a person decides."""
    path = workshop(
        "hlg709.mp4",
        "ffmpeg -v error -y -f lavfi -i testsrc2=size=96x64:duration=0.2 -c:v libx264 -color_trc arib-std-b67 "
        "-color_primaries bt709 {out}",
    )
    movie = Movie(path)
    found = recognise_file(movie.facts, signal_facts([movie.frame(0)]), FileClues("hlg709.mp4"))
    assert found.state == "contradictory"
    assert found.contradictions[0] == "Its tags contradict each other: HLG with BT.709 primaries."
