"""A camera whose truth is known: spectral sensitivities and spectra of colour-science 0.4.7, noise, veiling glare, the
clip of its sensor, rounding to its codes.
"""

import colour
import numpy as np

from upwelling.core.characterise import Picture
from upwelling.core.encodings import encoding

SHAPE = colour.SpectralShape(380, 780, 5)


def spectrum(sd):
    return sd.copy().align(SHAPE).values


PATCHES = np.stack([spectrum(sd) for sd in colour.SDS_COLOURCHECKERS["ISO 17321-1"].values()])
OBSERVER = spectrum(colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"])


def light_spectrum(name):
    if name.endswith(" K"):
        return spectrum(colour.sd_blackbody(float(name[:-2]), SHAPE))
    return spectrum(colour.SDS_ILLUMINANTS[name])


class SimulatedCamera:
    """``sensitivities`` by the name of a data set, or (81, 3); its own curve is that of an encoding."""

    def __init__(self, curve="S-Log3/S-Gamut3.Cine", sensitivities="Nikon 5100 (NPL)", seed=0, **how):
        said = colour.MSDS_CAMERA_SENSITIVITIES[sensitivities] if isinstance(sensitivities, str) else None
        self.sees = np.maximum(spectrum(said), 0) if said is not None else sensitivities
        self.curve = encoding(curve).curve
        self.rng = np.random.default_rng(seed)
        how = {"read": 4e-4, "shot": 6e-5, "bits": 10, "glare": 0.004, "clip": 14.0, "off": 0.005, **how}
        self.__dict__ |= how
        self.gains = 1 / (light_spectrum("D65") @ self.sees)

    def channels(self, reflectance, light):
        """Balanced to D65; green of a white is 1 under any light, for exposures are metered."""
        seen = (np.atleast_2d(reflectance) * light_spectrum(light)) @ self.sees * self.gains
        return seen / (light_spectrum(light) @ self.sees * self.gains)[1]

    def code(self, linear):
        noise = np.sqrt(self.shot * np.maximum(linear, 0) + self.read**2) * self.rng.standard_normal(linear.shape)
        top = 2**self.bits - 1
        return np.rint(np.clip(self.curve.from_linear(np.minimum(linear + noise, self.clip)), 0, 1) * top) / top

    def shoot(self, target, stops=0.0, light="D65", pixels=900):
        surface = {"24": PATCHES, "grey": np.full(81, 0.18), "dark": np.zeros(81)}[target]
        linear = self.channels(surface, light)
        if target == "24":
            linear = linear + self.glare * self.channels(np.ones(81), light)
        linear = linear * 2 ** (stops + self.off * self.rng.standard_normal())
        codes = self.code(np.repeat(linear[:, None], pixels, axis=1))
        how = {"stops": stops, "light": light, "step": 1 / (2**self.bits - 1)}
        counted = np.full(len(linear), float(pixels))
        return Picture(f"{target} {stops:+g} {light}", target, codes.mean(1), codes.std(1), counted, **how)

    def series(self, stops=range(-7, 7), lights=("D65",), dark=True):
        """Greys at exposures, one with the lens capped, a chart under each light."""
        greys = [self.shoot("grey", float(k), lights[0]) for k in stops]
        return [*greys, *([self.shoot("dark")] if dark else []), *(self.shoot("24", 0.0, light) for light in lights)]


def wax_camera():
    """Sensitivities that are sums of the observer's: a matrix can undo them wholly. Gives them and that matrix."""
    mixed = np.array([[1.1, 0.35, -0.1], [-0.3, 1.2, 0.2], [0.02, -0.05, 1.0]])
    return OBSERVER @ mixed.T, mixed
