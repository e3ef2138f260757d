"""The pair sheet: every setting in which two ends must agree, row by row, and what a contradiction looks like in the field."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from openstake.core.judge.finding import Finding, Severity, finding_at
from openstake.core.limits import LARGEST_GGA_STATION_ID


class RowState(StrEnum):
    """How a setting stands between two ends; `not needed` where the kind of link does not have it."""

    EQUAL = "equal"
    DIFFERENT = "different"
    NOT_KNOWN = "not known"
    NOT_NEEDED = "not needed"


@dataclass(frozen=True, kw_only=True)
class Setting:
    """One setting of a link: what it is called, its unit, which links need it, and what crews see where it differs."""

    field: str
    label: str
    unit: str
    kinds: tuple[str, ...]
    symptom: str


LINK_KINDS = {"uhf": "UHF", "spread-spectrum": "Spread spectrum", "internet": "Internet", "cable": "Cable"}
_RADIO = ("uhf", "spread-spectrum")
_ALL = tuple(LINK_KINDS)
SETTINGS = (
    Setting(field="kind", label="Kind of link", unit="", kinds=_ALL, symptom="silence: one end speaks where the other does not listen"),
    Setting(field="frequency_mhz", label="Frequency", unit="MHz", kinds=_RADIO, symptom="silence: the rover's radio light stays dark"),
    Setting(
        field="channel_spacing_khz",
        label="Channel spacing",
        unit="kHz",
        kinds=("uhf",),
        symptom="silence, or broken bursts when close to the base",
    ),
    Setting(
        field="modulation", label="Modulation", unit="", kinds=_RADIO, symptom="the receive light may flicker, and no correction arrives"
    ),
    Setting(
        field="protocol",
        label="Protocol",
        unit="",
        kinds=("uhf", "internet"),
        symptom="data arrive and make no frames: the rover stays single",
    ),
    Setting(
        field="fec",
        label="Forward error correction",
        unit="",
        kinds=("uhf",),
        symptom="the receive light blinks, and every frame is damaged",
    ),
    Setting(field="air_rate_bps", label="Air data rate", unit="bit/s", kinds=_RADIO, symptom="silence: the rover's radio light stays dark"),
    Setting(
        field="format",
        label="Correction format",
        unit="",
        kinds=_ALL,
        symptom="corrections arrive, and the rover does not use them: it stays single",
    ),
    Setting(
        field="station_id",
        label="Station ID",
        unit="",
        kinds=("uhf", "spread-spectrum", "cable"),
        symptom="the rover waits for another base: data arrive, no fix",
    ),
    Setting(
        field="caster.host",
        label="Caster",
        unit="",
        kinds=("internet",),
        symptom="connection refused, or a caster that does not know the mountpoint",
    ),
    Setting(field="caster.port", label="Port", unit="", kinds=("internet",), symptom="connection refused or timed out"),
    Setting(
        field="caster.mountpoint",
        label="Mountpoint",
        unit="",
        kinds=("internet",),
        symptom="mountpoint unknown, or another base's corrections: metres off or no fix",
    ),
)


def kinds_that_need(field: str) -> tuple[str, ...]:
    """Return the kinds of link that need a setting."""
    return next(setting.kinds for setting in SETTINGS if setting.field == field)


CONSTELLATION_OF_MESSAGE = {107: "GPS", 108: "GLONASS", 109: "Galileo", 111: "QZSS", 112: "BeiDou", 113: "NavIC"}
_LEGACY = {1001: "GPS", 1002: "GPS", 1003: "GPS", 1004: "GPS", 1009: "GLONASS", 1010: "GLONASS", 1011: "GLONASS", 1012: "GLONASS"}
USUAL_KINDS = _ALL
USUAL_FORMATS = ("RTCM 3 MSM", "RTCM 3 legacy")


@dataclass(frozen=True, kw_only=True)
class Row:
    """One row of the pair sheet."""

    setting: Setting
    base: object
    rover: object
    state: RowState


@dataclass(frozen=True, kw_only=True)
class End:
    """What one end says of itself.  `link` is as the profile has it: any value is compared, usual or not."""

    name: str
    link: Mapping[str, Any]
    constellations: Sequence[str] = ()
    formats_read: Sequence[str] = ()
    messages: Sequence[int] = ()


def value_of(link: Mapping[str, Any], field: str) -> object:
    """Return a setting of a link by its path (`caster.host`); None where it is not there."""
    value: object = link
    for part in field.split("."):
        value = value.get(part) if isinstance(value, Mapping) else None
    return value


def in_words(field: str, value: object) -> object:
    """Return a setting's value as people say it."""
    return LINK_KINDS.get(value, value) if field == "kind" and isinstance(value, str) else value


def _same(field: str, one: object, other: object) -> bool:
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, (int, float)) and isinstance(other, (int, float)):
        return float(one) == float(other)
    if isinstance(one, str) and isinstance(other, str) and field != "caster.mountpoint":
        # Spelling in capitals is no contradiction; a mountpoint's is (RTCM 10410.1).
        return one.strip().casefold() == other.strip().casefold()
    return one == other


def _known(value: object) -> bool:
    return value is not None and value != ""


def pair_rows(base: End, rover: End) -> list[Row]:
    """Return every setting with both values and how they stand.  Compared first, whatever the values are."""
    kinds = {value for value in (value_of(base.link, "kind"), value_of(rover.link, "kind")) if isinstance(value, str)}
    rows = []
    for setting in SETTINGS:
        one, other = value_of(base.link, setting.field), value_of(rover.link, setting.field)
        if _known(one) and _known(other):
            state = RowState.EQUAL if _same(setting.field, one, other) else RowState.DIFFERENT
        elif len(kinds) == 1 and not kinds & set(setting.kinds) and kinds <= set(USUAL_KINDS):
            state = RowState.NOT_NEEDED  # what one end has and this kind of link does not use
        elif not _known(one) and not _known(other) and (len(kinds) > 1 or not kinds <= set(USUAL_KINDS)):
            state = RowState.NOT_NEEDED  # two kinds of link, or one nobody knows: that is said, not what each lacks
        elif setting.field == "station_id" and not _known(one) and not _known(other):
            state = RowState.NOT_NEEDED  # taken as it comes
        else:
            state = RowState.NOT_KNOWN
        rows.append(Row(setting=setting, base=one, rover=other, state=state))
    return rows


def judge_pair(base: End, rover: End) -> list[Finding]:
    """Return one finding for each contradiction between two ends, each naming its field and what the crew will see."""
    rows = pair_rows(base, rover)
    found = [_row_finding(base, rover, row) for row in rows if row.state in (RowState.DIFFERENT, RowState.NOT_KNOWN)]
    different = {row.setting.field for row in rows if row.state is not RowState.EQUAL}
    found += [item for end, other in ((base, rover), (rover, base)) for item in _baud(end, other)]
    found += _station_id(base)
    if "kind" not in different:
        found += _unusual(base, "kind", USUAL_KINDS)
    if "format" not in different:
        found += _format(base, rover)
    return found + _constellations(base, rover)


def _words(setting: Setting, value: object) -> str:
    if not _known(value):
        return "not set"
    if isinstance(value, bool):
        return "on" if value else "off"
    number = f"{value:g}" if isinstance(value, float) else str(in_words(setting.field, value))
    return f"{number} {setting.unit}".strip()


def _row_finding(base: End, rover: End, row: Row) -> Finding:
    setting = row.setting
    one, other = _words(setting, row.base), _words(setting, row.rover)
    if row.state is RowState.DIFFERENT:
        return finding_at(
            setting.field,
            "link-setting-differs",
            Severity.STOP,
            f"{setting.label} differs: {base.name} has {one}, {rover.name} has {other}. In the field: {setting.symptom}.",
            "One end was changed, for interference perhaps, and the other was forgotten.",
            "Set both to the same value, and update the card of each end.",
        )
    return finding_at(
        setting.field,
        "link-setting-not-known",
        Severity.LOOK,
        f"{setting.label} is not known at both ends: {base.name} has {one}, {rover.name} has {other}.",
        "It was left empty in a profile, and a device's default is anybody's guess.",
        f"Read it off the devices and type it. If it differs: {setting.symptom}.",
    )


def _baud(end: End, other: End) -> list[Finding]:
    """Compare receiver and radio at one end; the other end tells which of the two was changed."""
    receiver, radio = value_of(end.link, "serial.receiver_baud"), value_of(end.link, "serial.radio_baud")
    if not (_known(receiver) or _known(radio)) or _same("serial", receiver, radio):
        return []
    odd = "radio_baud"
    if _known(value_of(other.link, "serial.receiver_baud")) and receiver != value_of(other.link, "serial.receiver_baud"):
        odd = "receiver_baud"
    return [
        finding_at(
            f"serial.{odd}",
            "baud-rates-differ",
            Severity.STOP,
            f"At {end.name} the receiver speaks {receiver or 'an unknown'} baud and the radio {radio or 'an unknown'} baud. "
            "In the field: silence, though every light is on.",
            "The serial rate was set at one end of the cable only.",
            "Set both ends of the cable to one rate.",
        )
    ]


def _station_id(base: End) -> list[Finding]:
    station_id = value_of(base.link, "station_id")
    if not isinstance(station_id, int) or isinstance(station_id, bool) or station_id <= LARGEST_GGA_STATION_ID:
        return []
    return [
        finding_at(
            "station_id",
            "station-id-hidden",
            Severity.LOOK,
            f"Station ID {station_id} is above {LARGEST_GGA_STATION_ID}: GGA cannot show it, so the rover's log will not name its base.",
            "RTCM allows 0 to 4095, GGA has four digits up to 1023.",
            "Take a station ID of 1023 or less.",
            station_id=station_id,
        )
    ]


def _unusual(end: End, field: str, usual: Sequence[str]) -> list[Finding]:
    value = value_of(end.link, field)
    if value in usual:
        return []
    return [
        finding_at(
            field,
            "link-value-unusual",
            Severity.LOOK,
            f"{field} is '{value}', which is not one of {', '.join(usual)}.",
            "A typing error, or something this program does not know.",
            "Both ends have the same value: check what it means.",
        )
    ]


def _format(base: End, rover: End) -> list[Finding]:
    form = value_of(base.link, "format")
    if not isinstance(form, str):
        return []
    found = []
    if rover.formats_read and form.casefold() not in {item.casefold() for item in rover.formats_read}:
        found.append(
            finding_at(
                "format",
                "format-not-readable",
                Severity.STOP,
                f"{rover.name} reads {', '.join(rover.formats_read)}, not {form}. In the field: data arrive, the rover stays single.",
                "An older rover, or a format of another maker.",
                "Send RTCM 3 MSM, or legacy to a rover that knows no other.",
            )
        )
    elif not form.upper().startswith("RTCM"):
        found.append(
            finding_at(
                "format",
                "format-not-open",
                Severity.LOOK,
                f"{form} is not an open format: it works only inside one make.",
                "It was chosen for an older pair.",
                "Send RTCM 3 MSM where the makes are mixed.",
            )
        )
    legacy = [number for number in base.messages if number in _LEGACY]
    modern = [number for number in base.messages if number // 10 in CONSTELLATION_OF_MESSAGE]
    wrong = legacy if form.casefold() == "rtcm 3 msm" else modern if form.casefold() == "rtcm 3 legacy" else []
    if wrong:
        found.append(
            finding_at(
                "messages",
                "messages-not-of-format",
                Severity.LOOK,
                f"The format is {form}, but {base.name} sends {', '.join(map(str, wrong))}.",
                "The messages were left from another set-up.",
                "Choose the messages of the format, or the format of the messages.",
            )
        )
    return found


def sent_constellations(base: End) -> set[str]:
    """Return the constellations whose observables a base sends: by its messages, else by what it tracks."""
    if not base.messages:
        return set(base.constellations)
    return {name for number in base.messages if (name := CONSTELLATION_OF_MESSAGE.get(number // 10) or _LEGACY.get(number)) is not None}


def _constellations(base: End, rover: End) -> list[Finding]:
    sent = sent_constellations(base)
    missing = [name for name in rover.constellations if name not in sent]
    if not sent or not missing:
        return []
    held_back = len(sent) <= 2
    return [
        finding_at(
            "constellations",
            "constellations-not-sent",
            Severity.LOOK,
            f"{rover.name} wants {', '.join(missing)}, which {base.name} does not send: a rover can only difference what the base sends"
            + (f", so an old base of {len(sent)} holds it back to {' and '.join(sorted(sent))}." if held_back else "."),
            "The base does not track them, or its messages leave them out.",
            "Send them where the base tracks them; else expect fewer satellites and a slower fix.",
        )
    ]
