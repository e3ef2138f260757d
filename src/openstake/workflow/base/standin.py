"""The stand-in base of a practice job, given the values that stand."""

from __future__ import annotations

from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.derive.base import base_of
from openstake.derive.job import job_of
from openstake.derive.kit import kit_of
from openstake.store.records.bases import open_occupation
from openstake.workflow.command import Transaction
from openstake.workflow.context import Context


def tell_standin(tx: Transaction) -> None:
    """Configure the stand-in base once what is being done is stored."""
    tx.once_stored(lambda: configure_standin(tx.context, tx.job_id))


def configure_standin(context: Context, job_id: str) -> None:
    """Type the present values into the stand-in base; a real receiver is typed by the crew."""
    with context.database.read() as session:
        job, occupation = job_of(session, job_id), open_occupation(session, job_id)
        practice = context.stand_ins(job_id) if job.practice else None
        if practice is None:
            return
        if occupation is None or job.frame.datum_is_unsaid:
            practice.silence()
            return
        base, profiles = base_of(session, occupation), kit_of(session, job_id).of_role(base=True)
    latitude, longitude, height = (float(value) for value in geodetic_from_ecef(base.mark_m))
    set_as = {"mask_deg": profiles[0].elevation_mask_deg} if profiles else {}
    practice.broadcast(latitude, longitude, height, base.height.arp_height_m, occupation.station_id, **set_as)
