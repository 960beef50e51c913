"""A still to send, from the Bench: what is downloaded is the frame on the screen."""

import io
from pathlib import Path

import numpy as np
from PIL import Image, ImageCms

from tests.browser.test_whole_line import open_bench

SHOWN = """() => { const canvas = document.querySelector("canvas.picture");
  const { width, height } = canvas;
  return [width, height, [...canvas.getContext("2d").getImageData(0, 0, width, height).data]]; }"""


def test_the_frame_in_hand_is_sent_with_its_profile(brought_in, sign_in, server):
    """Brought from its profile to sRGB by Little CMS, with the display's light kept (relative, no black point), the
    file shows what the Bench shows: its picture is that light as sRGB.
    """
    page = open_bench(sign_in("vera", first=False), server)
    width, height, pixels = page.evaluate(SHOWN)
    shown = np.reshape(pixels, (height, width, 4))[..., :3].astype(float)
    page.click(".pick[data-stage=display]")
    with page.expect_download() as got:
        page.click("button:text-is('Send a still')")
    data = Path(got.value.path()).read_bytes()
    assert got.value.suggested_filename.endswith(".png")
    sent = Image.open(io.BytesIO(data))
    profile = ImageCms.ImageCmsProfile(io.BytesIO(sent.info["icc_profile"]))
    srgb = ImageCms.profileToProfile(sent.convert("RGB"), profile, ImageCms.createProfile("sRGB"), renderingIntent=1)
    small = np.asarray(srgb.resize((width, height), Image.Resampling.BOX), float)
    assert np.abs(small - shown).mean() < 1.5
    page.check("input[name=caption]")
    with page.expect_download() as got:
        page.click("button:text-is('Send a still')")
    assert Image.open(got.value.path()).height > sent.height
    page.select_option("select[name=as]", "exr")
    page.click("button:text-is('Send a still')")
    page.wait_for_selector("text=Leave the caption out")
