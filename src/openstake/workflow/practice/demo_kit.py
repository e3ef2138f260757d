"""A small library of invented, generic gear, and the demo's profiles made from it."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from openstake.core.kit.gear import CasterAccount
from openstake.core.kit.profile import Caster, example
from openstake.derive.kit import gear_of, profile_of
from openstake.store.records.kits import gear_rows, profile_rows
from openstake.workflow.context import Context
from openstake.workflow.kit import gear, profiles
from openstake.workflow.practice.field import CASTER_PORT, MOUNT, PASSWORD, USER, Practice

# The features and offsets of the demo's antenna: all numbers made up.
LIBRARY: tuple[tuple[str, dict[str, Any]], ...] = (
    (
        "receiver",
        {
            "name": "Heron",
            "label_word": "HERON",
            "serial": "Q4-118-0273",
            "firmware": "3.2.1",
            "constellations": ["GPS", "GLONASS", "Galileo", "BeiDou"],
            "bands": ["L1", "L2", "L5"],
            "formats_sent": ["RTCM 3 MSM", "RTCM 3 legacy"],
            "formats_read": ["RTCM 3 MSM", "RTCM 3 legacy"],
            "nmea_refers_to": "ARP",
        },
    ),
    (
        "receiver",
        {
            "name": "Wagtail",
            "label_word": "WAGTAIL",
            "serial": "Q4-118-0291",
            "firmware": "3.2.1",
            "constellations": ["GPS", "GLONASS", "Galileo", "BeiDou"],
            "bands": ["L1", "L2", "L5"],
            "formats_sent": ["RTCM 3 MSM"],
            "formats_read": ["RTCM 3 MSM", "RTCM 3 legacy"],
            "nmea_refers_to": "ARP",
        },
    ),
    (
        "receiver",
        {
            "name": "Dunlin",
            "label_word": "DUNLIN",
            "serial": "Q4-118-0304",
            "firmware": "3.2.1",
            "constellations": ["GPS", "GLONASS", "Galileo", "BeiDou"],
            "bands": ["L1", "L2", "L5"],
            "formats_sent": ["RTCM 3 MSM"],
            "formats_read": ["RTCM 3 MSM", "RTCM 3 legacy"],
            "nmea_refers_to": "ARP",
        },
    ),
    (
        "receiver",
        {
            "name": "Old base",
            "label_word": "OLD",
            "serial": "A2-0044",
            "firmware": "1.9",
            "constellations": ["GPS", "GLONASS"],
            "bands": ["L1", "L2"],
            "formats_sent": ["RTCM 3 legacy"],
            "formats_read": ["RTCM 3 legacy"],
            "nmea_refers_to": "APC",
        },
    ),
    (
        "antenna",
        {
            "name": "Dish 190",
            "serial": "D190-07",
            "calibration": "invented, as all of the demo",
            "features": [
                {
                    "name": "bottom",
                    "label": "Bottom of mount (ARP), straight up",
                    "method": "vertical",
                    "rim_radius_m": 0.0,
                    "feature_to_arp_m": 0.0,
                    "hint": "The reading is the ARP height itself.",
                },
                {
                    "name": "rim",
                    "label": "Rim of the ground plate, slant",
                    "method": "slant",
                    "rim_radius_m": 0.095,
                    "feature_to_arp_m": -0.038,
                    "hint": "Tape from the mark to the plate's edge.",
                },
                {
                    "name": "lug",
                    "label": "Measuring lug under the housing, straight up",
                    "method": "vertical",
                    "rim_radius_m": 0.0,
                    "feature_to_arp_m": -0.025,
                    "hint": "The ARP lies 25 mm below the lug.",
                },
            ],
            "phase_centres": [
                {"frequency": "G01", "north_mm": 0.4, "east_mm": -0.6, "up_mm": 62.1},
                {"frequency": "G02", "north_mm": 0.1, "east_mm": 0.3, "up_mm": 58.7},
            ],
        },
    ),
    (
        "antenna",
        {
            "name": "Pole cap",
            "serial": "",
            "calibration": "",
            "features": [
                {
                    "name": "bottom",
                    "label": "Bottom of mount (ARP), straight up",
                    "method": "vertical",
                    "rim_radius_m": 0.0,
                    "feature_to_arp_m": 0.0,
                    "hint": "The reading is the ARP height itself.",
                }
            ],
            "phase_centres": [{"frequency": "G01", "north_mm": 0.0, "east_mm": 0.2, "up_mm": 41.5}],
        },
    ),
    ("pole", {"name": "Wooden tripod", "kind": "tripod"}),
    ("pole", {"name": "Two-metre rod", "kind": "pole", "fixed_height_m": 2.0, "bubble_arcmin": 8.0, "adjusted_on": "2026-10-03"}),
    (
        "radio",
        {
            "name": "Mast radio",
            "label_word": "MAST",
            "lowest_mhz": 450.0,
            "highest_mhz": 470.0,
            "powers_w": ["2", "10", "35"],
            "draw_w": 110.0,
            "modulations": ["GMSK", "4FSK"],
        },
    ),
    (
        "radio",
        {
            "name": "Inner radio",
            "label_word": "",
            "lowest_mhz": 430.0,
            "highest_mhz": 470.0,
            "powers_w": ["0.5", "1"],
            "draw_w": 6.0,
            "modulations": ["GMSK"],
        },
    ),
    ("battery", {"name": "Truck battery", "volts": 12.0, "amp_hours": 60.0, "count": 1, "chemistry": "lead"}),
    ("battery", {"name": "Receiver pack", "volts": 7.4, "amp_hours": 6.8, "count": 4, "chemistry": "lithium"}),
)
ACCOUNT, HOST = "Practice caster", "127.0.0.1"
BASE = "Creek base, UHF"
ROVER = "Creek rover, UHF"


def load_kit(context: Context) -> None:
    """Put the library into an empty kit; what is there stays as it is."""
    with context.database.read() as session:
        if gear_rows(session):
            return
    for kind, values in LIBRARY:
        gear.save_gear(context, gear.SaveGear(kind=kind, values=values))
    port = context.practice.caster.port if isinstance(context.practice, Practice) else CASTER_PORT
    account = {"name": ACCOUNT, "host": HOST, "port": port, "mountpoint": MOUNT, "user": USER, "tls": False}
    gear.save_gear(context, gear.SaveGear(kind="caster", values=account, password=PASSWORD))
    base = replace(
        example("base"), name=BASE, receiver="Heron", antenna="Dish 190", pole="Wooden tripod", radio="Mast radio", battery="Truck battery"
    )
    rover = replace(
        example("rover"),
        name=ROVER,
        receiver="Wagtail",
        antenna="Pole cap",
        pole="Two-metre rod",
        radio="Inner radio",
        battery="Receiver pack",
    )
    network = replace(
        example("network-rover"),
        name="Network rover",
        receiver="Wagtail",
        antenna="Pole cap",
        pole="Two-metre rod",
        battery="Receiver pack",
        caster_account=ACCOUNT,
        link=replace(example("network-rover").link, caster=Caster(host=HOST, port=port, mountpoint=MOUNT)),
    )
    for profile in (base, rover, network):
        profiles.save_profile(context, profiles.SaveProfile(asdict(profile)))


def follow_caster(context: Context) -> None:
    """Let the practice caster's account and the profiles on it name the port that the stand-in has now."""
    if not isinstance(context.practice, Practice):
        return
    port = context.practice.caster.port
    with context.database.read() as session:
        accounts = [(row.id, gear_of(row)) for row in gear_rows(session) if (row.kind, row.name) == ("caster", ACCOUNT)]
        stored = [(row.id, profile_of(row)) for row in profile_rows(session)]
    for item_id, account in accounts:
        if isinstance(account, CasterAccount) and account.host == HOST and account.port != port:
            moved_account = asdict(replace(account, port=port))
            gear.save_gear(context, gear.SaveGear(kind="caster", values=moved_account, replaces_id=item_id))
    for profile_id, profile in stored:
        caster = profile.link.caster
        if profile.caster_account == ACCOUNT and caster is not None and caster.host == HOST and caster.port != port:
            moved = replace(profile, link=replace(profile.link, caster=replace(caster, port=port)))
            profiles.save_profile(context, profiles.SaveProfile(asdict(moved), replaces_id=profile_id))


def choose_demo_profiles(context: Context, job_id: str) -> None:
    """Let a demo job use the pair on UHF."""
    for profile in profiles.list_profiles(context, job_id).profiles:
        if profile.name in (BASE, ROVER):
            profiles.choose_profile(context, job_id, profiles.ChooseProfile(profile.line_id, True))
