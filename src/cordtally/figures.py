"""How times, rates, shares and other figures are written for people, with as many digits as mean something."""


def show_number(value: float, digits: int = 3) -> str:
    """Write a number with some significant digits, and never with an exponent for a large one: ``0.12``, ``12,345``.

    Parameters
    ----------
    value : float
        Without a unit, or with one that follows it.
    digits : int
        How many digits count, as long as there are no more before the point.
    """
    return f"{value:,.0f}" if abs(value) >= 10**digits - 0.5 else f"{value:,.{digits}g}"


def show_share(share: float) -> str:
    """Write a share with two significant digits: ``12 %``, ``0.034 %``, and below that ``34 ppm`` (in a million).

    Parameters
    ----------
    share : float
        From 0 to 1.
    """
    if 0 < share < 1e-6:
        return "< 1 ppm"
    if 0 < share < 0.995e-4:
        return f"{1e6 * share:.2g} ppm"
    return f"{100 * share:.2g} %" if share < 0.995 else f"{100 * share:.0f} %"


def show_rate(rate: float) -> str:
    """Write a rate per second, or per minute or hour where it is small: ``120/s``, ``7.5/min``.

    Parameters
    ----------
    rate : float
        Per second, 0 or more.
    """
    for unit, seconds in (("s", 1), ("min", 60), ("h", 3600)):
        if rate * seconds >= 1 or unit == "h":
            return f"{show_number(rate * seconds, 4)}/{unit}"
    raise AssertionError


def show_seconds(seconds: float) -> str:
    """Write a time with its unit and three significant digits: ``1.23 ms``; below 1 µs it only says so.

    Parameters
    ----------
    seconds : float
        0 or more; infinite where there is no end.
    """
    if seconds == float("inf"):
        return "no end"
    for unit, size in (("s", 1.0), ("ms", 1e-3), ("µs", 1e-6)):
        if seconds >= 0.9995 * size:  # what rounds up to the next unit is written in that
            return f"{show_number(seconds / size)} {unit}"
    return "0 ms" if seconds < 1e-12 else "< 1 µs"
