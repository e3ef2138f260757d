"""Raw observations of one receiver, epoch by epoch, and the frequencies they were made on."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.constants import SPEED_OF_LIGHT_M_S

# By constellation letter and band digit of RINEX 3.  Source: RINEX 3.05, tables 4 to 10; MHz.
CARRIER_MHZ: dict[str, dict[str, float]] = {
    "G": {"1": 1575.42, "2": 1227.60, "5": 1176.45},
    "R": {"1": 1602.0, "2": 1246.0, "3": 1202.025},
    "E": {"1": 1575.42, "5": 1176.45, "6": 1278.75, "7": 1207.14, "8": 1191.795},
    "S": {"1": 1575.42, "5": 1176.45},
    "J": {"1": 1575.42, "2": 1227.60, "5": 1176.45, "6": 1278.75},
    "C": {"1": 1575.42, "2": 1561.098, "5": 1176.45, "6": 1268.52, "7": 1207.14, "8": 1191.795},
    "I": {"5": 1176.45, "9": 2492.028},
}
CONSTELLATION_NAMES = {"G": "GPS", "R": "GLONASS", "E": "Galileo", "C": "BeiDou", "J": "QZSS", "I": "NavIC", "S": "SBAS"}
# GPS and QZSS keep one time; a receiver delays each other constellation by metres of its own.
_CLOCKS = {"J": "G"}


def clock_of(satellite: str) -> str:
    """Return by which constellation's letter a receiver's clock against a satellite's (`G05`) goes."""
    return _CLOCKS.get(satellite[0], satellite[0])


_GLONASS_STEP_MHZ = {"1": 0.5625, "2": 0.4375}


def wavelength_m(letter: str, band: str, glonass_channel: int | None = None) -> float | None:
    """Return a carrier's wavelength in metres; None for an unknown band, or GLONASS 1 or 2 whose channel is not known."""
    megahertz = CARRIER_MHZ.get(letter, {}).get(band)
    if megahertz is None:
        return None
    if letter == "R" and band in _GLONASS_STEP_MHZ:
        if glonass_channel is None:
            return None
        megahertz += glonass_channel * _GLONASS_STEP_MHZ[band]
    return SPEED_OF_LIGHT_M_S / (megahertz * 1e6)


@dataclass(frozen=True, slots=True)
class Observed:
    """One value of one satellite: metres for C, cycles for L, hertz for D, dB-Hz for S; `lli` as RINEX has it (L only)."""

    value: float
    lli: int = 0


@dataclass(frozen=True)
class ObservationEpoch:
    """All values of one epoch by satellite (`G05`) and RINEX 3 code (`C1C`); time in seconds since 1980-01-06, GPS time."""

    gps_s: float
    satellites: dict[str, dict[str, Observed]]
