"""The setup card of a pair: what is typed into both ends, in working order, with the cautions that belong there."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.kit.profile import Profile
from openstake.core.link.agree import SETTINGS, in_words, value_of
from openstake.core.link.reach import exposure_distance_m, exposure_limits_w_m2


@dataclass(frozen=True)
class CardLine:
    """One thing to do or to set at one or both ends; `key` is what a tick is kept under.  An empty end has nothing to do."""

    key: str
    words: str
    base: str
    rover: str


@dataclass(frozen=True)
class Card:
    """A card: lines in working order, cautions on top."""

    base: str
    rover: str
    cautions: tuple[str, ...]
    lines: tuple[CardLine, ...]


def _shown(value: object, unit: str) -> str:
    if value is None or value == "":
        return ""
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g} {unit}".strip() if isinstance(value, (int, float)) else f"{value} {unit}".strip()


def setup_card(base: Profile, rover: Profile) -> Card:
    """Return the card of a pair.  No password is on it; common practice decides the order, no source."""
    one, other = vars(base.link), vars(rover.link)
    one, other = ({key: vars(part) if hasattr(part, "__dict__") else part for key, part in link.items()} for link in (one, other))
    lines = [
        CardLine("antenna", "Radio antenna screwed on, before any power", "yes" if base.transmitter else "", ""),
        CardLine("label", "The right receiver, by its label", base.receiver, rover.receiver),
        CardLine("reset", "Reset to a known state", "yes", "yes"),
        CardLine("constellations", "Constellations", ", ".join(base.constellations), ", ".join(rover.constellations)),
        CardLine("mask", "Elevation mask", _shown(base.elevation_mask_deg, "degrees"), _shown(rover.elevation_mask_deg, "degrees")),
        CardLine("rate", "Update rate", _shown(base.rate_hz, "Hz"), _shown(rover.rate_hz, "Hz")),
        CardLine("tilt", "Tilt compensation", "", _shown(rover.tilt, "")),
    ]
    for setting in SETTINGS:
        values = [_shown(in_words(setting.field, value_of(link, setting.field)), setting.unit) for link in (one, other)]
        if any(values):
            lines.append(CardLine(setting.field, setting.label, values[0], values[1]))
    bauds = [f"{link.serial.receiver_baud} at both ends of the cable" if link.serial else "" for link in (base.link, rover.link)]
    if any(bauds):
        lines.append(CardLine("serial", "Serial rate, receiver and radio", bauds[0], bauds[1]))
    if base.messages:
        sent = ", ".join(f"{message.number} every {message.interval_s:g} s" for message in base.messages)
        lines.append(CardLine("messages", "Messages", sent, ""))
    if base.transmitter:
        lines.append(CardLine("power", "Transmit power", _shown(base.transmitter.power_w, "W"), ""))
    logged = [f"every {end.logging.interval_s:g} s" if end.logging.enabled else "off" for end in (base, rover)]
    lines += [
        CardLine("logging", "Logging", logged[0], logged[1]),
        CardLine("height", "Antenna height taped, twice, to the feature named", "yes", "yes"),
        CardLine("level", "Level and plumb, once more before start", "yes", ""),
        CardLine("light", "Transmit light blinks about once a second", "yes", ""),
        CardLine("fix", "Fixed; distance to base as expected", "", "yes"),
    ]
    return Card(base.name, rover.name, _cautions(base), tuple(lines))


def _cautions(base: Profile) -> tuple[str, ...]:
    cautions = []
    if base.transmitter is not None and base.transmitter.power_w > 0.0:
        cautions.append("Never transmit without an antenna: screw it on before the radio is powered.")
        if base.link.frequency_mhz:
            limit, _ = exposure_limits_w_m2(base.link.frequency_mhz)
            away = exposure_distance_m(base.transmitter.power_w, base.transmitter.antenna_gain_dbi, limit, ground_reflection=True)
            cautions.append(
                f"Keep people {max(away, 0.1):.1f} m from the radio antenna at this power (ICNIRP 2020, public). Local limits decide."
            )
        cautions.append("Licence and call sign for the frequency: local rules decide who may send where.")
    cautions.append("Overhead lines, lightning, traffic: look up and around before a pole or mast goes up.")
    return tuple(cautions)
