"""Rules on what a device sends: what it lacks is told once, with how to ask for it in general terms."""

from __future__ import annotations

from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import CLOCK_OFF_S, ENOUGH_EPOCHS, FEWEST_DECIMALS, SLOWEST_HZ
from openstake.core.rtk.rover import DeviceSeen
from openstake.core.units import counted


def judge_device(seen: DeviceSeen) -> list[Finding]:
    """Return what a device's sentences lack; silent until it has been heard long enough."""
    found = []
    if seen.apart_m is not None:
        found.append(
            finding(
                "two-receivers",
                Severity.STOP,
                f"Positions jump back and forth between two places {seen.apart_m / 1000.0:.1f} km apart: two receivers send to this address.",
                "Two devices write into one stream: both are joined at a hub, a port is forwarded twice, or a caster mixes two sources.",
                "Let only one receiver send here, and measure again what was recorded meanwhile.",
                apart_m=round(seen.apart_m),
            )
        )
    if seen.epochs < ENOUGH_EPOCHS:
        return found
    if seen.with_position and not seen.with_gst:
        found.append(
            finding(
                "gst-missing",
                Severity.LOOK,
                "The receiver sends no GST: it makes no claim how good its position is.",
                "GST is switched off among its NMEA sentences.",
                "Switch GST on at the rate of GGA. Until then quality is known from the scatter alone.",
            )
        )
    elif seen.with_position and not seen.with_ellipse:
        found.append(
            finding(
                "gst-without-ellipse",
                Severity.NOTE,
                "GST comes without its error ellipse: the claim is east and north alone.",
                "The receiver leaves the fields of the ellipse empty.",
                "Nothing to do: the circle of 95 % is taken from both sigmas.",
            )
        )
    if seen.rate_hz is not None and seen.rate_hz < SLOWEST_HZ:
        found.append(
            finding(
                "rate-too-low",
                Severity.LOOK,
                f"Positions come every {1.0 / seen.rate_hz:.1f} s; 1 Hz to 5 Hz is usual.",
                "The output rate of the NMEA is set lower, or the wire drops sentences.",
                "Set GGA and GST to 1 Hz or more; at a slow wire raise its baud rate.",
                rate_hz=round(seen.rate_hz, 2),
            )
        )
    if seen.decimals is not None and seen.decimals < FEWEST_DECIMALS:
        step_m = 1852.0 * 10.0**-seen.decimals
        found.append(
            finding(
                "positions-coarse",
                Severity.LOOK if seen.decimals < FEWEST_DECIMALS - 1 else Severity.NOTE,
                f"Latitude comes with {counted(seen.decimals, 'decimal')} of a minute: steps of {1000.0 * step_m:.1f} mm.",
                "The receiver writes short NMEA.",
                "Switch on its high-precision (long) NMEA: seven decimals are 0.2 mm.",
                decimals=seen.decimals,
            )
        )
    if seen.with_position and not seen.with_separation:
        found.append(
            finding(
                "separation-missing",
                Severity.STOP,
                "GGA comes without a geoid separation: the ellipsoidal height is not known, and nothing can be measured.",
                "The receiver leaves the field empty.",
                "Switch the separation on in the receiver's GGA.",
                positions=seen.with_position,
            )
        )
    if seen.clock_off_s is not None and abs(seen.clock_off_s) > CLOCK_OFF_S:
        found.append(
            finding(
                "clock-off",
                Severity.LOOK,
                f"The receiver's clock (UTC) and this machine's are {abs(seen.clock_off_s):.0f} s apart.",
                "This machine's clock is not set, the receiver has no satellites yet, or the sentences come late.",
                "Set this machine's clock by the network or by hand: the Book's times come from it. Positions are not touched.",
                clock_off_s=round(seen.clock_off_s, 1),
            )
        )
    return found


def judge_silent(what: str, said: str, listened_s: float) -> Finding:
    """Return what an address says at which nothing is heard; `what` was listened to and `said` how that went."""
    return finding(
        "device-silent",
        Severity.LOOK,
        f"The {what} was not heard in {listened_s:.0f} s. {said}",
        "The device is off, its output is not switched on, or the address, the port or the rate is another one.",
        "Look at the device and its output; compare address and rate with what it shows.",
        seconds=round(listened_s),
    )
