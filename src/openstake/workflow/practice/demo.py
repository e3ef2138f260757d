"""The demo's three jobs.  All names and numbers are invented."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from zoneinfo import ZoneInfo

from openstake.core.units import LengthUnit
from openstake.derive.job import jobs_of
from openstake.workflow.context import Context
from openstake.workflow.fit.marks import FitFile, read_file
from openstake.workflow.job.control_files import ListSaid, accept_control
from openstake.workflow.job.geoids import training_grid_id
from openstake.workflow.job.jobs import create_job
from openstake.workflow.practice.demo_kit import choose_demo_profiles, follow_caster, load_kit
from openstake.workflow.practice.demo_morning import Clock, work_a_morning
from openstake.workflow.practice.truth import ALDER, CARROW, NETTLE

# An embankment along an invented tidal creek; ITM metres, ellipsoidal heights.
CARROW_CONTROL = """name,east,north,ellipsoidal height,description,check only
CS1,703412.361,629805.118,62.417,nail in the sluice apron,no
CS2,703478.902,629861.447,61.983,pin by the gate house,no
CS3,703655.274,629990.630,60.742,plate on the bank crest,no
CS4,703871.095,630174.886,60.911,nail at the bend,no
CS5,704102.518,630411.203,61.368,pin on the bank crest,yes
CS6,704388.740,630702.951,60.527,plate at the pump house,no
CS7,704690.233,630958.412,62.874,nail on the bridge abutment,yes
CS8,704951.667,631187.305,61.195,pin at the far end,no
CS9,703290.544,629602.779,63.050,benchmark bolt on the chapel wall,no
"""
CARROW_ABOUT = {
    "client": "Carrow drainage board (invented)",
    "task": "Embankment repair, phase 2",
    "crew": "Base and one rover",
    "time_zone": "Europe/Dublin",
    "frame_epoch": "",
    "vertical_system": "Malin Head height (EPSG:5731)",
}
NETTLE_ABOUT = {
    "client": "Town of Nettle Brook (invented)",
    "task": "Culvert replacement",
    "crew": "Base and one rover",
    "time_zone": "America/New_York",
    "vertical_system": "NAVD88 height (EPSG:5703)",
}
# US survey feet on the Vermont grid.
NETTLE_CONTROL = """name,northing,easting,ellipsoidal height,description
NB1,612480.22,1592310.75,801.36,rebar by the culvert
NB2,612655.90,1592498.13,797.02,nail in the road
NB3,612219.47,1592101.88,812.54,rebar at the fence
NB4,613104.65,1592877.31,790.11,pin by the barn
"""
# The contractor's site grid on five of the marks, with its own heights: metres on the ground, east along the bank, 5000, 5000 on
# CS1.  Two digits of a north and two of a height changed places when the list was typed: the page Fit finds both.
CARROW_SITE_GRID = """name,east,north,height
CS1,5000.000,5000.000,10.000
CS3,5305.669,4999.836,8.323
CS5,5916.442,5062.032,8.953
CS7,6715.744,5140.051,10.456
CS9,4780.317,4913.245,10.363
"""
# A footbridge over an invented stream; UTM 32 metres on ETRS89, ellipsoidal heights.
ALDER_CONTROL = """name,east,north,ellipsoidal height,description
AF1,514646.284,5416310.957,312.408,bolt in the south abutment
AF2,514711.530,5416352.168,311.962,nail in the lane
AF3,514893.047,5416298.625,313.275,pin by the mill race
AF4,515120.773,5416512.390,310.846,plate at the gauge
"""
ALDER_ABOUT = {
    "client": "Parish of Alder Ford (invented)",
    "task": "Footbridge, abutments",
    "crew": "Base and one rover",
    "time_zone": "Europe/Berlin",
    "frame_epoch": "",
    "vertical_system": "DHHN2016 height (EPSG:7837)",
}
# The demo's office is at work hours before the program starts for the first time: its morning's work is in the Book.
_BEGAN_BEFORE_S = 4.0 * 3600.0


@dataclass(frozen=True, kw_only=True)
class _DemoJob:
    """A job of the demo: EPSG code, unit, control list, what it is about; practice, or real and with a morning's work in it."""

    name: str
    code: int
    unit: LengthUnit
    control: str
    about: dict[str, str]
    practice: bool = True


_JOBS = (
    _DemoJob(name=CARROW, code=2157, unit="m", control=CARROW_CONTROL, about=CARROW_ABOUT),
    _DemoJob(name=NETTLE, code=6590, unit="sft", control=NETTLE_CONTROL, about=NETTLE_ABOUT),
    _DemoJob(name=ALDER, code=25832, unit="m", control=ALDER_CONTROL, about=ALDER_ABOUT, practice=False),
)


def load_demo(context: Context) -> None:
    """Make the demo's kit and jobs where they are missing; what is there stays as it is, but for the port of the practice caster."""
    clock = Clock(_began_s(context.clock.now()))
    earlier = replace(context, outside=replace(context.outside, clock=clock))
    load_kit(earlier)
    with context.database.read() as session:
        names = {job.name for job in jobs_of(session)}
    for asked in _JOBS:
        if asked.name not in names:
            clock.wait(60.0)
            _load_job(earlier, asked, clock)
    follow_caster(context)


def _began_s(now_s: float) -> float:
    """Return when the demo's office began: some hours ago, or the evening before where midnight of its morning's job lies between."""
    zone = ZoneInfo(ALDER_ABOUT["time_zone"])
    today = datetime.fromtimestamp(now_s, zone).replace(hour=0, minute=0, second=0, microsecond=0)
    return now_s - _BEGAN_BEFORE_S if now_s - _BEGAN_BEFORE_S >= today.timestamp() else today.timestamp() - _BEGAN_BEFORE_S


def _load_job(context: Context, asked: _DemoJob, clock: Clock) -> None:
    # A practice job may use the coarse grid for training; a job that counts never gets it by itself.
    more = asked.about | ({"geoid_id": training_grid_id(context)} if asked.practice else {})
    job = create_job(context, asked.name, {"kind": "code", "code": asked.code}, asked.unit, practice=asked.practice, **more)
    accept_control(context, job.id, "demo control list.csv", asked.control.encode(), ListSaid(unit=asked.unit))
    if asked.name == CARROW:
        site_grid = FitFile(name="demo site grid.csv", content_base64="", unit=asked.unit, keep=True)
        read_file(context, job.id, site_grid, CARROW_SITE_GRID.encode())
    choose_demo_profiles(context, job.id)
    if not asked.practice:
        work_a_morning(context, job.id, clock)
