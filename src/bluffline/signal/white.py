"""The colour of lights by their temperature."""

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import rgb_to_xyz

TEMPERATURES = (1700.0, 25000.0)  # kelvin
_DAYLIGHT = 4000.0  # kelvin, from which light is taken for daylight rather than for a lamp
_TINT = 0.002  # of u, v for a tint of 1


def light_xy(kelvin: float) -> tuple[float, float]:
    """x, y of a lamp (Planckian locus, a cubic fit to within 10⁻³) up to 4000 K, of daylight above [CIE15, PLANCK].

    Raises
    ------
    SettingsError : outside `TEMPERATURES`
    """
    if not TEMPERATURES[0] <= kelvin <= TEMPERATURES[1]:
        raise SettingsError(f"A light's temperature must lie between {TEMPERATURES[0]:g} and {TEMPERATURES[1]:g} K.")
    t = 1000 / kelvin
    if kelvin >= _DAYLIGHT:
        if kelvin <= 7000:
            x = 0.244063 + 0.09911 * t + 2.9678 * t**2 - 4.6070 * t**3
        else:
            x = 0.237040 + 0.24748 * t + 1.9018 * t**2 - 2.0064 * t**3
        return x, -3 * x * x + 2.87 * x - 0.275
    x = -0.2661239 * t**3 - 0.2343589 * t**2 + 0.8776956 * t + 0.179910
    if kelvin < 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    else:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    return x, y


def gains_for_light(kelvin: float, tint: float, primaries: str) -> tuple[float, float, float]:
    """Gains of R, G and B in light that make a white seen under that light neutral, its luminance kept.

    ``tint``: across the locus, in steps of 0.002 of CIE 1960 u, v; above 0 where the light is greener than its temperature.

    Raises
    ------
    SettingsError : outside `TEMPERATURES`, or a tint so strong that the programme's primaries can't make the light
    """
    x, y = light_xy(kelvin)
    u, v = _uv(x, y)
    hotter = _uv(*light_xy(min(kelvin * 1.01, TEMPERATURES[1])))
    colder = _uv(*light_xy(max(kelvin / 1.01, TEMPERATURES[0])))
    along = np.subtract(colder, hotter)
    across = np.array([-along[1], along[0]]) / np.hypot(*along)
    across = across if across[1] > 0 else -across  # green lies above the locus
    u, v = np.array([u, v]) + across * tint * _TINT
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    to_xyz = rgb_to_xyz(primaries)
    white: NDArray[np.float64] = np.linalg.solve(to_xyz, np.array([x / y, 1.0, (1 - x - y) / y]))
    if white.min() <= 0.01:
        raise SettingsError("That light lies outside what the programme's primaries can show.")
    red, green, blue = (float(1 / part) for part in white)
    return red, green, blue


def _uv(x: float, y: float) -> tuple[float, float]:
    """CIE 1960 u, v."""
    return 4 * x / (-2 * x + 12 * y + 3), 6 * y / (-2 * x + 12 * y + 3)


def light_for_gains(gains: tuple[float, float, float], primaries: str) -> tuple[float, float]:
    """Temperature (kelvin) and tint of the light that gains of R, G and B make neutral: the inverse of `gains_for_light`."""
    white = rgb_to_xyz(primaries) @ (1 / np.maximum(np.array(gains), 1e-6))
    place = np.array(_uv(*(white[:2] / white.sum())))
    mireds = np.linspace(1e6 / TEMPERATURES[1], 1e6 / TEMPERATURES[0], 600)
    for _ in range(3):  # ever nearer about the nearest
        locus = np.array([_uv(*light_xy(min(max(1e6 / mired, TEMPERATURES[0]), TEMPERATURES[1]))) for mired in mireds])
        nearest = int(np.argmin(((locus - place) ** 2).sum(axis=1)))
        low, high = mireds[max(nearest - 1, 0)], mireds[min(nearest + 1, len(mireds) - 1)]
        mireds = np.linspace(low, high, 41)
    apart = place - locus[nearest]
    along = locus[min(nearest + 1, len(locus) - 1)] - locus[max(nearest - 1, 0)]
    greener = np.sign(along[0] * apart[1] - along[1] * apart[0]) * np.sign(along[0] or 1.0)
    kelvin = float(min(max(2e6 / (low + high), TEMPERATURES[0]), TEMPERATURES[1]))
    return kelvin, float(greener * np.hypot(*apart) / _TINT)
