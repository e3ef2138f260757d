"""The mean of a series whose values remember each other, and what that mean is worth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from openstake.core.distributions import stdtrit

# The window of the autocorrelation ends where it is this many times the correlation time (Sokal).
_WINDOW = 5.0
_FEWEST = 3
_SHORTEST = 0.5


@dataclass(frozen=True, kw_only=True)
class SeriesMean:
    """Mean of a series with the scatter of one value and what the values are worth together.

    `sigma_of_mean` is the plain standard deviation of the mean, `half_95` the half width that holds the truth in 95 % of
    cases: Student's t of `freedom` degrees, for how little a short series knows of its own memory.  None for one value.
    """

    mean: float
    spread: float
    sigma_of_mean: float | None
    half_95: float | None
    freedom: float
    effective_n: float
    correlation_time: float  # in steps of the series: 1 where values are independent


def autocorrelation(values: ArrayLike) -> NDArray[np.float64]:
    """Return the autocorrelation of a series about its mean by lag, shape (n,), 1 at lag 0; zeros for a constant."""
    series = np.asarray(values, dtype=float)
    series = series - np.mean(series)
    count = len(series)
    # Padded with zeros to at least twice the length, so that the end does not meet the beginning.
    size = 1 << (2 * count - 1).bit_length()
    spectrum = np.fft.rfft(series, size)
    power = np.fft.irfft(spectrum * np.conj(spectrum), size)[:count]
    return np.asarray(power / power[0] if power[0] > 0.0 else np.zeros(count))


def correlation_time(values: ArrayLike) -> tuple[float, int]:
    """Return the integrated correlation time in steps, and the lag at which its sum was cut.

    It is 1 for independent values and larger for a memory; of a short series it comes out a little to either side.

    Source: A. D. Sokal, Monte Carlo Methods in Statistical Mechanics, 1989, section 3 (window); U. Wolff, Computer
    Physics Communications 156, 2004, equation 49 (bias); both from memory.
    """
    correlation = autocorrelation(values)
    count = len(correlation)
    times = 2.0 * np.cumsum(correlation) - 1.0
    beyond = np.flatnonzero(np.arange(count) >= _WINDOW * times)
    window = int(beyond[0]) if beyond.size else count - 1
    return float(max(_SHORTEST, times[window] * (1.0 + (2.0 * window + 1.0) / count))), window


def mean_of_series(values: ArrayLike) -> SeriesMean:
    """Return the mean of equally spaced values and what it is worth.

    A variance known from few independent values is worth a Student t of as many degrees of freedom as the
    correlation time has (its relative variance is (4 w + 2)/n with the window w).
    """
    series = np.asarray(values, dtype=float)
    count = len(series)
    mean = float(series[0] + np.mean(series - series[0]))
    if count < 2:
        return SeriesMean(mean=mean, spread=0.0, sigma_of_mean=None, half_95=None, freedom=0.0, effective_n=1.0, correlation_time=1.0)
    spread = float(np.std(series, ddof=1))
    if count < _FEWEST:
        # Two values know nothing of their memory: they are taken as one and another.
        sigma = spread / float(np.sqrt(count))
        return SeriesMean(
            mean=mean,
            spread=spread,
            sigma_of_mean=sigma,
            half_95=sigma * float(stdtrit(1.0, 0.975)),
            freedom=1.0,
            effective_n=1.0,
            correlation_time=1.0,
        )
    time, window = correlation_time(series)
    time = min(time, count / 2.0)
    # The spread about the series' own mean is too small by what the mean has taken away.
    variance = float(np.var(series)) * count / (count - time)
    freedom = max(1.0, 2.0 * count / (4.0 * window + 2.0))
    sigma = float(np.sqrt(variance * time / count))
    return SeriesMean(
        mean=mean,
        spread=spread,
        sigma_of_mean=sigma,
        half_95=float(stdtrit(freedom, 0.975)) * sigma,
        freedom=freedom,
        effective_n=min(count / time, count),
        correlation_time=max(time, 1.0),
    )


def outliers(values: NDArray[np.float64], floor: float, factor: float = 6.0) -> NDArray[np.bool_]:
    """Return which values stand more than `factor` robust sigmas from the median, shape (n,).

    The robust sigma is 1.4826 times the median distance from the median, at least `floor`: a false fix or a drop to
    another status stands out, the wander of an autonomous position does not.
    """
    distance = np.abs(values - np.median(values))
    return np.asarray(distance > factor * max(1.4826 * float(np.median(distance)), floor))
