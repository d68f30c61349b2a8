"""Numbers as they are read: with a true minus sign."""


def figure(value: float, form: str = "g") -> str:
    """A number by a format of Python's, a true minus sign before it where it is negative."""
    return format(value, form).replace("-", "−")


def light_text(luminance: float) -> str:
    """Luminance in cd/m², by as many figures as tell something."""
    return f"{light_figure(luminance)} cd/m²"


def light_figure(luminance: float) -> str:
    """The same without its unit."""
    return figure(luminance, ".0f" if luminance >= 100 or luminance == 0 else ".1f" if luminance >= 1 else ".3f")
