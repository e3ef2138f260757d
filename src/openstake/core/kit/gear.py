"""Gear: what each thing is, with what the rest of the job needs to know of it.  Lengths in metres, offsets in millimetres."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.describe import described

CONSTELLATIONS = ("GPS", "GLONASS", "Galileo", "BeiDou", "QZSS", "NavIC", "SBAS")
NOT_SAID = "not said"
REFERS_TO = (NOT_SAID, "APC", "ARP", "mark")
METHODS = {"vertical": "straight up", "slant": "slant, to the rim", "rod": "along the rod"}
TURNED_KINDS = ("pole", "bipod")  # what a rover stands on and a person turns


@dataclass(frozen=True, kw_only=True)
class Receiver:
    """A GNSS receiver.  The label word is what is written on it, so that nobody connects to the wrong one."""

    name: str = described("Name", "text")
    label_word: str = described("Label word", "text", hint="Written on the case: two look the same.")
    serial: str = described("Serial number", "text", default="", hint="In full; the last digits tell units apart.")
    firmware: str = described("Firmware", "text", default="")
    constellations: tuple[str, ...] = described("Tracks", "list", options=CONSTELLATIONS, default=("GPS", "GLONASS"))
    bands: tuple[str, ...] = described("Bands", "list", default=(), hint="L1, L2, L5 ...")
    formats_sent: tuple[str, ...] = described("Formats sent", "list", default=(), hint="RTCM 3 MSM, RTCM 3 legacy ...")
    formats_read: tuple[str, ...] = described("Formats read", "list", default=())
    nmea_refers_to: str = described(
        "Its NMEA position refers to",
        "choice",
        options=REFERS_TO,
        default=NOT_SAID,
        hint="Mark: the pole is already taken off. Taken off twice it is 2 m. Asked once, kept here.",
    )


@dataclass(frozen=True, kw_only=True)
class HeightFeature:
    """A place on an antenna that people measure to.  `feature_to_arp_m`: how far the ARP lies above it."""

    name: str = described("Name", "text")
    label: str = described("In words", "text")
    method: str = described("Measured", "choice", options=tuple(METHODS), words=METHODS)
    rim_radius_m: float = described("Rim radius", "length", default=0.0, least=0.0, most=1.0, used_with=("method", ("slant",)))
    feature_to_arp_m: float = described("ARP above it", "length", default=0.0, least=-1.0, most=1.0)
    hint: str = described("Hint", "text", default="")


@dataclass(frozen=True, kw_only=True)
class PhaseCentre:
    """A mean phase centre above the ARP, one frequency: north, east, up in millimetres."""

    frequency: str = described("Frequency", "text", hint="G01: GPS L1, as in ANTEX.")
    north_mm: float = described("North", "number", unit="mm", least=-500.0, most=500.0)
    east_mm: float = described("East", "number", unit="mm", least=-500.0, most=500.0)
    up_mm: float = described("Up", "number", unit="mm", least=-500.0, most=1000.0)


BOTTOM = HeightFeature(
    name="bottom",
    label="Bottom of mount (ARP), straight up",
    method="vertical",
    rim_radius_m=0.0,
    feature_to_arp_m=0.0,
    hint="The reading is the ARP height itself.",
)


@dataclass(frozen=True, kw_only=True)
class Antenna:
    """A GNSS antenna: what people measure to, and where its phase centres lie."""

    name: str = described("Name", "text")
    serial: str = described("Serial number", "text", default="")
    features: tuple[HeightFeature, ...] = described("Measured to", "table", default=(BOTTOM,))
    phase_centres: tuple[PhaseCentre, ...] = described("Phase centres above the ARP", "table", default=())
    calibration: str = described("Calibration", "text", default="", hint="Where the offsets come from.")


@dataclass(frozen=True, kw_only=True)
class Pole:
    """A pole or tripod.  A fixed height removes most mistakes of reading."""

    name: str = described("Name", "text")
    kind: str = described("Kind", "choice", options=("pole", "tripod", "fixed tripod", "bipod"))
    fixed_height_m: float | None = described(
        "Fixed height", "length", optional=True, least=0.1, most=12.0, used_with=("kind", ("pole", "fixed tripod", "bipod"))
    )
    bubble_arcmin: float | None = described(
        "Bubble sensitivity", "number", unit="arc-minutes per 2 mm", optional=True, least=0.1, most=120.0
    )
    adjusted_on: str = described("Bubble last adjusted", "text", default="", hint="2026-10-03")


@dataclass(frozen=True, kw_only=True)
class Radio:
    """A radio: the antenna goes on before the power."""

    name: str = described("Name", "text")
    label_word: str = described("Label word", "text", default="")
    lowest_mhz: float = described("Lowest frequency", "number", unit="MHz", least=10.0, most=6000.0)
    highest_mhz: float = described("Highest frequency", "number", unit="MHz", least=10.0, most=6000.0)
    powers_w: tuple[str, ...] = described("Powers, W", "list", default=())
    draw_w: float | None = described("Draw while sending", "number", unit="W", optional=True, least=0.0, most=1000.0)
    modulations: tuple[str, ...] = described("Modulations", "list", default=())


@dataclass(frozen=True, kw_only=True)
class Battery:
    """A battery."""

    name: str = described("Name", "text")
    volts: float = described("Voltage", "number", unit="V", least=1.0, most=60.0)
    amp_hours: float = described("Capacity", "number", unit="Ah", least=0.1, most=1000.0)
    count: int = described("How many", "count", default=1, least=1, most=100)
    chemistry: str = described("Kind", "choice", options=("lithium", "lead", "nickel"), default="lithium")


@dataclass(frozen=True, kw_only=True)
class CasterAccount:
    """An account on a caster.  Its password is kept apart and never shown."""

    name: str = described("Name", "text")
    host: str = described("Host", "text")
    port: int = described("Port", "count", default=2101, least=1, most=65535)
    mountpoint: str = described("Mountpoint", "text", default="")
    user: str = described("User", "text", default="")
    tls: bool = described("Encrypted (TLS)", "flag", default=False)


Gear = Receiver | Antenna | Pole | Radio | Battery | CasterAccount
GEAR: dict[str, type[Gear]] = {
    "receiver": Receiver,
    "antenna": Antenna,
    "pole": Pole,
    "radio": Radio,
    "battery": Battery,
    "caster": CasterAccount,
}
GEAR_WORDS = {
    "receiver": "Receivers",
    "antenna": "Antennas",
    "pole": "Poles and tripods",
    "radio": "Radios",
    "battery": "Batteries",
    "caster": "Caster accounts",
}
