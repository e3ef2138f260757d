"""The plan of checks of the base that runs: which marks, what each still lacks, and the verdict on the job."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, cast

from sqlalchemy.orm import Session

from openstake.core.base_sources import RESEATED
from openstake.core.chain import MarkChecked, State
from openstake.core.check_plan import Candidate, Change, CheckDone, CheckSettings, Planned, PlanNow, plan_now, plan_of_marks
from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding
from openstake.core.judge.lean import judge_turned
from openstake.core.judge.verdict import Verdict, verdict_of_job
from openstake.core.limits import FAR_FROM_M
from openstake.core.units import whole_from_metres
from openstake.derive.base import BaseNow, open_base, three
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import MarkNow, current_marks, head_of, marks_of
from openstake.derive.poles import turned_names
from openstake.store.models import Shot, SiteChange
from openstake.store.records.bases import needed_occupation, positions_heard_s, site_changes
from openstake.store.records.shots import checks_of_base
from openstake.workflow.check.cause import causes_found
from openstake.workflow.check.checks import Checked, checked, rests_on_of
from openstake.workflow.check.settings import settings_of
from openstake.workflow.check.turns import rover_poles
from openstake.workflow.command import Transaction, command
from openstake.workflow.context import Context

ChangeKind = Literal["battery", "channel", "restart", "other"]


@dataclass(frozen=True)
class ChangeOffered:
    """Something that can be told as changed at the base: the word on its button, and what is kept."""

    kind: ChangeKind
    word: str
    sentence: str


_OFFERED = (
    ChangeOffered("battery", "battery", "a battery was changed"),
    ChangeOffered("channel", "channel", "the channel was changed"),
    ChangeOffered("restart", "restarted", "the base was restarted"),
    ChangeOffered("other", "something else", "something was changed at the base"),
)
_CHANGES = {item.kind: item.sentence for item in _OFFERED}


@dataclass(frozen=True)
class ChangeRequest:
    """What was changed at the base."""

    kind: ChangeKind


@dataclass(frozen=True, kw_only=True)
class PlanView:
    """The plan of checks of the base that runs, with the verdict; None where no base runs.

    A far mark lies beyond `far_from_m`.  `problem` is what keeps a plan from being made; `causes` are what all checks say together,
    `notes` what is not known of the kit; `changes` is what can be told.
    """

    base_mark: str
    base_east_m: float
    base_north_m: float
    plan: PlanNow | None
    far_from_m: float
    far_words: str
    verdict: Verdict
    problem: str
    causes: tuple[Finding, ...]
    notes: tuple[Finding, ...]
    changes: tuple[ChangeOffered, ...]


@dataclass(frozen=True, kw_only=True)
class Proof:
    """All that the checks of one base say: the plan, the newest check of each mark, the verdict."""

    plan: PlanNow
    newest: tuple[MarkChecked, ...]
    verdict: Verdict
    causes: tuple[Finding, ...]
    notes: tuple[Finding, ...]
    problem: str

    @property
    def findings(self) -> tuple[Finding, ...]:
        return (*self.causes, *self.notes)


def view(context: Context, job_id: str) -> PlanView:
    """Return the plan of checks as it stands now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        base = open_base(session, job_id)
        if base is None:
            return PlanView(
                base_mark="",
                base_east_m=0.0,
                base_north_m=0.0,
                plan=None,
                far_from_m=FAR_FROM_M,
                far_words=whole_from_metres(FAR_FROM_M, job.length_unit),
                verdict=verdict_of_job(_NOTHING, ()),
                problem="No base is running in this job.",
                causes=(),
                notes=(),
                changes=_OFFERED,
            )
        name = head_of(session, job, base.occupation.mark_id).name
        proof = proof_of(session, job, kit_of(session, job_id), base, context.now(job_id))
        east, north, _ = three(job.frame.grid_from_ecef(base.mark_m))
    return PlanView(
        base_mark=name,
        base_east_m=east,
        base_north_m=north,
        plan=proof.plan,
        far_from_m=FAR_FROM_M,
        far_words=whole_from_metres(FAR_FROM_M, job.length_unit),
        verdict=proof.verdict,
        problem=proof.problem,
        causes=proof.causes,
        notes=proof.notes,
        changes=_OFFERED,
    )


_NOTHING = PlanNow(
    items=(), due_again="", due_again_s=None, lacks="", fulfilled=False, next=None, state=State.MISSING, why="no base running"
)


def proof_of(session: Session, job: JobNow, kit: KitNow, base: BaseNow, now_s: float) -> Proof:
    """Return what all checks of a base say: as many queries however many there are."""
    checks = checked(session, job, checks_of_base(session, base.occupation.id))
    settings = settings_of(session, job.id)
    own = own_marks(session, job, base)
    problem = ""
    try:
        planned = _planned(session, job, base, own, settings)
    except InputError as error:
        planned, problem = (), error.sentence
    done = [_done(item, own) for item in checks]
    plan = plan_now(planned, done, _changes(session, base), settings, now_s)
    latest = {item.mark.id: item for item in checks}
    newest = sorted(latest.values(), key=lambda item: (item.shot.created_s, item.shot.id), reverse=True)
    causes = tuple(causes_found(session, job, kit, base, checks))
    notes = tuple(judge_turned(rover_poles(kit), turned_names(session)))
    # The mark a base was re-seated on proves nothing, so that it is out of date is no reason for care.
    judged = [(item.mark.name, item.check.verdict) for item in newest if item.mark.id not in own or not item.check.stale]
    verdict = verdict_of_job(plan, judged, causes)
    return Proof(
        plan=plan, newest=tuple(_mark_checked(item, own) for item in newest), verdict=verdict, causes=causes, notes=notes, problem=problem
    )


def own_marks(session: Session, job: JobNow, base: BaseNow) -> set[str]:
    """Return the marks that a check of cannot prove this base's coordinate: the one it stands on, the one it was re-seated on."""
    ids = {base.occupation.mark_id}
    if base.coordinate.source == RESEATED and base.coordinate.evidence_id:
        shot = session.get(Shot, base.coordinate.evidence_id)
        if shot is not None and shot.mark_id is not None:
            ids.add(shot.mark_id)
    return {mark.id for mark in marks_of(session, job, ids).values()}


def _planned(session: Session, job: JobNow, base: BaseNow, own: set[str], settings: CheckSettings) -> tuple[Planned, ...]:
    marks = [mark for mark in current_marks(session, job) if mark.id not in own]
    east, north, _ = three(job.frame.grid_from_ecef(base.mark_m))
    return plan_of_marks((east, north), [candidate_of(mark) for mark in marks], settings, job.length_unit)


def candidate_of(mark: MarkNow) -> Candidate:
    """Return a mark as the plan of checks sees it."""
    return Candidate(
        mark_id=mark.id, name=mark.name, east_m=mark.east_m, north_m=mark.north_m, has_height=mark.ellipsoidal_height_m is not None
    )


def _done(item: Checked, own: set[str]) -> CheckDone:
    check = item.check
    counts = not item.point.not_fixed and not item.point.virtual and item.mark.id not in own
    return CheckDone(
        shot_id=item.shot.id,
        mark_id=item.mark.id,
        mark_name=item.mark.name,
        at_s=item.shot.created_s,
        agrees=check.agrees,
        stale=check.stale,
        counts=counts,
        height_compared=check.up_m is not None,
        initialised_s=item.shot.initialised_s,
    )


def _mark_checked(item: Checked, own: set[str]) -> MarkChecked:
    return MarkChecked(
        mark_name=item.mark.name,
        agrees=item.check.agrees,
        stale=item.check.stale,
        independent=item.mark.id not in own,
        words=item.check.words,
        pole_text=item.point.rover_height.text,
        mark_sigma_m=item.mark.sigma_horizontal_m,
        findings=tuple(item.check.findings),
        rests_on=rests_on_of(item.shot),
    )


def _changes(session: Session, base: BaseNow) -> list[Change]:
    """Return what was changed at a base: told by the crew, and every other position that was heard from it."""
    told = site_changes(session, base.occupation.id)
    heard = positions_heard_s(session, base.occupation.id)
    return sorted(
        [
            *(Change(row.created_s, _CHANGES[cast(ChangeKind, row.kind)]) for row in told),
            *(Change(at_s, _CHANGES["restart"]) for at_s in heard[1:]),
        ],
        key=lambda item: item.at_s,
    )


@command(view)
def tell_change(tx: Transaction, request: ChangeRequest) -> None:
    """Keep what was changed at the base: every check is due again."""
    occupation = needed_occupation(tx.session, tx.job_id)
    tx.add(SiteChange(job_id=tx.job_id, occupation_id=occupation.id, kind=request.kind, created_s=tx.now_s))
    words = _CHANGES[request.kind]
    tx.tell("base-changed", f"{words[:1].upper()}{words[1:]}: checks are due again.")
