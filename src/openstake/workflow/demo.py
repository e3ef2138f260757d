"""The demo's two jobs.  All names and numbers are invented."""

from __future__ import annotations

from sqlalchemy import select

from openstake.store.models import Job
from openstake.workflow.context import Context
from openstake.workflow.job import accept_control, create_job

CARROW = "Carrow Sluice"
NETTLE = "Nettle Brook Culvert"

# An embankment along an invented tidal creek; ITM metres, ellipsoidal heights.
CARROW_CONTROL = """name,east,north,ellipsoidal height,description
CS1,703412.361,629805.118,62.417,nail in the sluice apron
CS2,703478.902,629861.447,61.983,pin by the gate house
CS3,703655.274,629990.630,60.742,plate on the bank crest
CS4,703871.095,630174.886,60.911,nail at the bend
CS5,704102.518,630411.203,61.368,pin on the bank crest
CS6,704388.740,630702.951,60.527,plate at the pump house
CS7,704690.233,630958.412,62.874,nail on the bridge abutment
CS8,704951.667,631187.305,61.195,pin at the far end
CS9,703290.544,629602.779,63.050,benchmark bolt on the chapel wall
"""
# US survey feet on the Vermont grid.
NETTLE_CONTROL = """name,northing,easting,ellipsoidal height,description
NB1,612480.22,1592310.75,801.36,rebar by the culvert
NB2,612655.90,1592498.13,797.02,nail in the road
NB3,612219.47,1592101.88,812.54,rebar at the fence
NB4,613104.65,1592877.31,790.11,pin by the barn
"""
# Where marks really are against the list, east, north, up in metres: CS6 has a wrong height in the list, and CS8 was
# knocked by a digger.
BLUNDERS = {(CARROW, "CS6"): (0.0, 0.0, -0.118), (CARROW, "CS8"): (0.074, -0.051, 0.012)}


def load_demo(context: Context) -> None:
    """Make the demo jobs where they are missing; what is there stays as it is."""
    for name, code, unit, text in ((CARROW, 2157, "m", CARROW_CONTROL), (NETTLE, 6590, "sft", NETTLE_CONTROL)):
        with context.database.read() as session:
            if session.scalars(select(Job).where(Job.name == name)).first():
                continue
        job = create_job(context, name, code, unit, practice=True)
        accept_control(context, job["id"], "demo control list.csv", text.encode(), unit, None, "ellipsoidal")
