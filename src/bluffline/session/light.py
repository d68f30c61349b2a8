"""A balance as the temperature and the tint of the light that it is for."""

from dataclasses import replace

from bluffline.signal.white import TEMPERATURES, gains_for_light, light_for_gains
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.step import Number

TEMPERATURE = Number("Temperature", "K", TEMPERATURES[0], TEMPERATURES[1], 50, 10)
TINT = Number("Tint", "steps", -60, 60, 1, 0.2)
DAYLIGHT = 6504.0  # kelvin, of D65: what a balance that does nothing is for


def light_of(step: Balance, primaries: str) -> tuple[float, float]:
    """Temperature (kelvin) and tint of the light that a balance makes neutral; of gains that are no light's, the nearest."""
    kelvin, tint = light_for_gains(step.gains, primaries)
    return round(kelvin), round(min(max(tint, TINT.least), TINT.greatest), 1)


def with_light(step: Balance, kelvin: float, tint: float, primaries: str) -> Balance:
    """The balance for a light.

    Raises
    ------
    SettingsError : the programme's primaries can't make that light, or no balance is as strong
    """
    red, green, blue = (round(gain, 4) for gain in gains_for_light(kelvin, tint, primaries))
    return replace(step, gains=(red, green, blue), light=True)
