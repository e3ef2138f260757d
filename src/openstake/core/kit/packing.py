"""What must be charged, packed and looked at before leaving: from the profiles chosen, and what people forget."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from openstake.core.kit.gear import Antenna, Battery, CasterAccount, Gear, Pole, Radio, Receiver
from openstake.core.kit.profile import Profile


@dataclass(frozen=True, kw_only=True)
class PackingItem:
    """One thing to tick off.  `key` stays the same while the thing does; `group` is charge, pack or look."""

    key: str
    group: str
    what: str
    why: str


class _Add(Protocol):
    """How an item is added: group, what, why and, where the words may change, a key."""

    def __call__(self, group: str, what: str, why: str = "", key: str | None = None) -> None: ...


# The order in which a pair is switched off: a radio that sends without its antenna is damaged.
SHUT_DOWN = ("End the rover survey.", "End the base.", "Radio off, then its antenna off.", "Receivers off.", "Batteries on charge.")
_BENCH = "Bench test: both units a taped distance apart, fixed, distance as taped"
BENCH_KEY = f"look:{_BENCH}"
_HOURS = "Plan control for the good hours of the sky"
HOURS_WORD = "hours of the sky"
HOURS_KEY = f"look:{HOURS_WORD}"
GROUPS = ("charge", "pack", "look")


def packing_list(profiles: Sequence[Profile], gear: Mapping[tuple[str, str], Gear]) -> list[PackingItem]:
    """Return the list for some profiles; `gear` is the kit by kind and name.  Things that two profiles share stand once.

    Source: common practice, no source.
    """
    items: dict[str, PackingItem] = {}

    def add(group: str, what: str, why: str = "", key: str | None = None) -> None:
        item = PackingItem(key=f"{group}:{key or what}"[:200], group=group, what=what, why=why)
        items.setdefault(item.key, item)

    for profile in profiles:
        _of_gear(profile, gear, add)
        _of_link(profile, gear, add)
    if profiles:
        if any(profile.role == "base" for profile in profiles):
            add("pack", "Tribrach, optical plummet or plumb bob", "Level and plumb are checked twice.")
            add("pack", "Tape, readable, in the unit of the job", "The base height is taped before and after.")
        add("pack", "Charged spare battery for every unit", "A base that dies ends the day.")
        add("pack", "Nail, paint, flagging tape and the control list", "")
        add("look", "Labels on all units: who is base, who is rover", "Two look the same, and people connect to the wrong one.")
        add("look", _HOURS, "", HOURS_WORD)
        add("look", _BENCH, "It shows that the pair works.")
    return sorted(items.values(), key=lambda item: GROUPS.index(item.group))


def _of_gear(profile: Profile, gear: Mapping[tuple[str, str], Gear], add: _Add) -> None:
    receiver = gear.get(("receiver", profile.receiver))
    if isinstance(receiver, Receiver):
        serial = f", serial ending {receiver.serial[-4:]}" if receiver.serial else ""
        add("charge", f"Receiver {receiver.name}", f"Label: {receiver.label_word}{serial}.")
        add("pack", f"Receiver {receiver.name} ({receiver.label_word})", f"For {profile.name}.")
    elif profile.receiver:
        add("pack", f"Receiver {profile.receiver}", "Named in the profile, not in the kit.")
    antenna = gear.get(("antenna", profile.antenna))
    if isinstance(antenna, Antenna):
        add("pack", f"GNSS antenna {antenna.name} and its cable", "")
    pole = gear.get(("pole", profile.pole))
    if isinstance(pole, Pole):
        add("pack", _named(pole.kind, pole.name), "")
        if pole.kind in ("pole", "bipod"):
            since = f"Last adjusted {pole.adjusted_on}." if pole.adjusted_on else "Nobody wrote down when it was adjusted."
            add("look", f"Bubble of {pole.name}: turn the pole by 180 degrees, it must stay", since)
    battery = gear.get(("battery", profile.battery))
    if isinstance(battery, Battery):
        count = f"{battery.count} x " if battery.count > 1 else ""
        add("charge", f"{count}{battery.name}, {battery.volts:g} V {battery.amp_hours:g} Ah", _battery_caution(battery))
        add("pack", f"{count}{battery.name} and its cables", "")
    if profile.tilt:
        add("look", "Tilt compensation calibrated", "Off for control: level the pole.")


def _named(kind: str, name: str) -> str:
    """Return a thing's name with its kind, unless the name says it."""
    return name if kind.split()[-1] in name.lower() else f"{kind.capitalize()} {name}"


def _battery_caution(battery: Battery) -> str:
    if battery.chemistry == "lithium":
        return "Charge lithium batteries where somebody watches, never when damaged or frozen."
    return "Cover the terminals: a short burns. Acid and weight: keep upright, lift in pairs." if battery.chemistry == "lead" else ""


def _of_link(profile: Profile, gear: Mapping[tuple[str, str], Gear], add: _Add) -> None:
    link = profile.link
    radio = gear.get(("radio", profile.radio))
    if isinstance(radio, Radio):
        label = f" ({radio.label_word})" if radio.label_word else ""
        add("pack", f"{_named('radio', radio.name)}{label}", f"For {profile.name}.")
    if link.kind in ("uhf", "spread-spectrum"):
        band = f"{link.frequency_mhz:g} MHz" if link.frequency_mhz else "the link's band"
        add("pack", f"Radio antenna for {band}", "Screwed on before the radio is powered.", f"antenna {profile.role} {band}")
        if link.kind == "uhf" and profile.role == "base":
            add("look", "Radio licence and call sign for the frequency", "Local rules decide who may send where.")
    if link.serial is not None:
        add("pack", f"Cable receiver to radio ({profile.role})", f"Both ends at {link.serial.receiver_baud} baud.")
    if link.kind == "internet":
        add("charge", "Hotspot or SIM with credit", "")
        account = gear.get(("caster", profile.caster_account))
        where = f"{link.caster.host}, {link.caster.mountpoint}" if link.caster else "host, port and mountpoint"
        who = f" as {account.user}" if isinstance(account, CasterAccount) and account.user else ""
        add("look", f"Caster reached from here: {where}{who}", "Typed on small screens, these go wrong.")
