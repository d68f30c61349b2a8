"""Numbers as they are read: with a true minus sign."""


def figure(value: float, form: str = "g") -> str:
    """A number by a format of Python's, a true minus sign before it where it is negative."""
    return format(value, form).replace("-", "−")
