"""The setup card of a pair: what is typed into both ends, in working order, with the cautions that belong there."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.kit.profile import Profile
from openstake.core.link.agree import SETTINGS, in_words, value_of
from openstake.core.link.reach import exposure_distance_m, exposure_limits_w_m2


@dataclass(frozen=True, kw_only=True)
class CardLine:
    """One thing to do or to set at one or both ends; `key` is what a tick is kept under.  An empty end has nothing to do."""

    key: str
    words: str
    base: str
    rover: str


@dataclass(frozen=True, kw_only=True)
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
        CardLine(key="antenna", words="Radio antenna screwed on, before any power", base="yes" if base.transmitter else "", rover=""),
        CardLine(key="label", words="The right receiver, by its label", base=base.receiver, rover=rover.receiver),
        CardLine(key="reset", words="Reset to a known state", base="yes", rover="yes"),
        CardLine(key="constellations", words="Constellations", base=", ".join(base.constellations), rover=", ".join(rover.constellations)),
        CardLine(
            key="mask",
            words="Elevation mask",
            base=_shown(base.elevation_mask_deg, "degrees"),
            rover=_shown(rover.elevation_mask_deg, "degrees"),
        ),
        CardLine(key="rate", words="Update rate", base=_shown(base.rate_hz, "Hz"), rover=_shown(rover.rate_hz, "Hz")),
        CardLine(key="tilt", words="Tilt compensation", base="", rover=_shown(rover.tilt, "")),
    ]
    for setting in SETTINGS:
        values = [_shown(in_words(setting.field, value_of(link, setting.field)), setting.unit) for link in (one, other)]
        if any(values):
            lines.append(CardLine(key=setting.field, words=setting.label, base=values[0], rover=values[1]))
    bauds = [f"{link.serial.receiver_baud} at both ends of the cable" if link.serial else "" for link in (base.link, rover.link)]
    if any(bauds):
        lines.append(CardLine(key="serial", words="Serial rate, receiver and radio", base=bauds[0], rover=bauds[1]))
    if base.messages:
        sent = ", ".join(f"{message.number} every {message.interval_s:g} s" for message in base.messages)
        lines.append(CardLine(key="messages", words="Messages", base=sent, rover=""))
    if base.transmitter:
        lines.append(CardLine(key="power", words="Transmit power", base=_shown(base.transmitter.power_w, "W"), rover=""))
    logged = [f"every {end.logging.interval_s:g} s" if end.logging.enabled else "off" for end in (base, rover)]
    lines += [
        CardLine(key="logging", words="Logging", base=logged[0], rover=logged[1]),
        CardLine(key="height", words="Antenna height taped, twice, to the feature named", base="yes", rover="yes"),
        CardLine(key="level", words="Level and plumb, once more before start", base="yes", rover=""),
        CardLine(key="light", words="Transmit light blinks about once a second", base="yes", rover=""),
        CardLine(key="fix", words="Fixed; distance to base as expected", base="", rover="yes"),
    ]
    return Card(base=base.name, rover=rover.name, cautions=_cautions(base), lines=tuple(lines))


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
