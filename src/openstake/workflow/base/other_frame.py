"""A coordinate declared in another frame than the job's: what lies between the two, and how it comes into the job by a named operation."""

from __future__ import annotations

from openstake.core.errors import InputError
from openstake.core.geodesy.framechange import FrameStep, changed_frame, epoch_year, frame_step
from openstake.derive.job import JobNow

Xyz = tuple[float, float, float]


def step_to_job(job: JobNow, frame: str, epoch: str, near_m: Xyz, what: str = "The solution") -> FrameStep:
    """Return what lies between a frame and epoch and the job's; `near_m` is a place of the job, Earth-centred metres."""
    return frame_step(frame.strip(), epoch_year(epoch, "epoch"), job.positions_label, epoch_year(job.settings.frame_epoch), near_m, what)


def in_the_job(job: JobNow, frame: str, epoch: str, operation: str, xyz_m: Xyz, near_m: Xyz, what: str = "The solution") -> tuple[Xyz, str]:
    """Return a coordinate in the job's frame, and how it came there in words; InputError where no operation was named."""
    step = step_to_job(job, frame, epoch, near_m, what)
    if step.same:
        return xyz_m, ""
    if not step.changes:
        raise InputError(step.words, field="frame")
    if not operation:
        raise InputError(step.words, field="operation")
    moved = changed_frame(xyz_m, frame.strip(), epoch_year(epoch, "epoch"), job.positions_label, operation, near_m)
    return moved, f", brought from {frame.strip()[:40]} by {operation[:120]}"
