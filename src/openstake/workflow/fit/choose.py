"""A fit chosen: models, school, what each mark is used for; undone, listed, and two of them compared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.describe import typed
from openstake.core.errors import ConflictError, InputError, NotFoundError
from openstake.core.limits import ShortText
from openstake.core.localfit.choice import MARK_USES, SCHOOLS, FitChoice, FitMethod, FitModels, MarkUse, SiteCentre, checked_models
from openstake.core.localfit.kept import FitResult
from openstake.core.localfit.parameters import FitParameters
from openstake.core.units import counted
from openstake.derive.applied import local_of
from openstake.derive.fit import FitMarkNow, fit_marks, fit_now, site_of, solved
from openstake.derive.job import JobNow, job_of
from openstake.store.book import lost_race
from openstake.store.models import FitChosen
from openstake.store.records import lines
from openstake.store.records.fits import chosen_row, chosen_rows_of, chosen_words
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context
from openstake.workflow.fit.judged import Judged, judged
from openstake.workflow.fit.view import FitView, page_of

MOST_SHOWN = 200


@dataclass(frozen=True, kw_only=True)
class FitRequest:
    """What is changed, in place of the choice `replaces_id`: models as typed, the school, uses by the lines of marks."""

    replaces_id: ShortText | None = None
    models: dict[str, Any] | None = None
    school: FitMethod | None = None
    uses: dict[str, MarkUse] | None = None


@dataclass(frozen=True)
class FitUndo:
    """Take the last choice back; `replaces_id` is the one that is seen."""

    replaces_id: ShortText


@dataclass(frozen=True, kw_only=True)
class FitPast:
    """A choice in the history: when, what was changed, and what came out."""

    id: str
    at_s: float
    words: str
    result: str
    scale_ppm: float | None
    rotation_deg: float | None
    solved: bool


@dataclass(frozen=True)
class FitHistory:
    """The choices of a job, newest first."""

    fits: list[FitPast]


@dataclass(frozen=True)
class CompareQuery:
    """Two choices of the history."""

    one: ShortText
    other: ShortText


@dataclass(frozen=True, kw_only=True)
class FitApart:
    """A mark by two fits: the second − the first in local east, north and height, metres."""

    name: str
    east_m: float
    north_m: float
    up_m: float | None


@dataclass(frozen=True, kw_only=True)
class FitCompared:
    """Two fits: what changed in words, and how far each measured mark is apart."""

    one: FitPast
    other: FitPast
    scale_ppm: float
    rotation_deg: float
    marks: list[FitApart]
    largest_m: float


@dataclass(frozen=True, kw_only=True)
class _Step:
    """A choice with its words and what comes out of it, before it is stored."""

    choice: FitChoice
    words: str
    item: Judged
    undid: bool = False


def choose(context: Context, job_id: str, request: FitRequest) -> FitView:
    """Keep a choice, and return the page by it."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        before = _present(session, job_id, request.replaces_id)
        marks = fit_marks(session, job)
        old = FitChoice() if before is None else before.data
        new = _changed(job, marks, old, request)
        words = _words(old, new, marks)
        if not words:
            return page_of(judged(session, job, fit_now(session, job)), undo_words(session, job_id))
        chosen = [(new, words)] if before is not None else [(old, _BEGINNING), (new, words)]
        steps = [_Step(choice=choice, words=said, item=judged(session, job, solved(job, None, marks, choice))) for choice, said in chosen]
    return _kept(context, job_id, request.replaces_id, steps)


def undo(context: Context, job_id: str, request: FitUndo) -> FitView:
    """Take the last choice back by a new row that says what was chosen before it."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        present = _present(session, job_id, request.replaces_id)
        if present is None:
            raise ConflictError("There is nothing to undo.")
        target, taken = _before(session, present)
        choice = target.data
        item = judged(session, job, solved(job, None, fit_marks(session, job), choice))
    return _kept(context, job_id, request.replaces_id, [_Step(choice=choice, words=f"undone: {taken}", item=item, undid=True)])


_BEGINNING = "as it begins: every mark in, by the usual models"


def _kept(context: Context, job_id: str, seen_id: str | None, steps: Sequence[_Step]) -> FitView:
    """Store choices one after the other in place of the one that is seen, and return the page by the last of them."""

    def work(tx: Transaction) -> tuple[str, str]:
        row = _present(tx.session, tx.job_id, seen_id)
        for step in steps:
            fit, before = step.item.now, row
            result = FitResult(
                parameters=fit.parameters,
                marks_h=0 if fit.flat is None else len(fit.flat.used),
                marks_v=0 if fit.up is None else len(fit.up.used),
                words=step.item.headline.sentence,
            )
            row = FitChosen(
                job_id=tx.job_id,
                data=step.choice,
                result=result,
                words=step.words,
                undid=step.undid,
                replaces_id=before.id if before else None,
                created_s=tx.now_s,
            )
            tx.add(row)
        said = f"Local fit: {steps[-1].words}. {steps[-1].item.headline.sentence}."
        assert row is not None, "there is a step"
        tx.tell("fit-chosen", said, fit=row.id)
        return row.id, undo_words(tx.session, tx.job_id)

    chosen_id, undo_said = carry_out(context, job_id, work)
    item = steps[-1].item
    return page_of(replace(item, now=replace(item.now, chosen_id=chosen_id)), undo_said)


def _present(session: Session, job_id: str, seen_id: str | None) -> FitChosen | None:
    row = chosen_row(session, job_id)
    if (row.id if row else None) != seen_id:
        what = "The fit has been changed"
        raise (lost_race(session, what, row) if row else ConflictError(f"{what} in the meantime. Look at it and try again."))
    return row


def _changed(job: JobNow, marks: tuple[FitMarkNow, ...], old: FitChoice, request: FitRequest) -> FitChoice:
    new = old
    if request.models is not None:
        models = checked_models(typed(FitModels, request.models, job.length_unit))
        site: SiteCentre | None = None
        if models.projection == "site":
            site = old.site or site_of(job, marks)
            if site is None:
                raise InputError("Measure a mark first: the projection is laid at the middle of the site.", field="projection")
        new = replace(new, models=models, site=site)
    if request.school is not None:
        if request.school not in SCHOOLS:
            raise InputError("The method is all, or grow.", field="school")
        new = replace(new, school=request.school)
    if request.uses is not None:
        known = {mark.line_id for mark in marks}
        for line_id, use in request.uses.items():
            if line_id not in known:
                raise NotFoundError("This mark is not in the local fit.", field="uses")
            if use not in MARK_USES:
                raise InputError(f"A mark is used as one of {', '.join(MARK_USES)}.", field="uses")
        new = replace(new, uses={**new.uses, **request.uses})
    return new


_USE_WORDS: Mapping[MarkUse, str] = {
    "hv": "in the fit",
    "h": "in the fit, horizontally only",
    "v": "in the fit, vertically only",
    "check": "kept as a check",
    "out": "left out",
}
_MODEL_WORDS = {
    "projection": "GNSS coordinates",
    "horizontal": "horizontal model",
    "distances": "local distances",
    "held_scale": "held scale",
    "scale": "scale",
    "north": "local north",
    "north_deg": "turn of the local north",
    "vertical": "vertical model",
    "geoid": "heights by the geoid",
    "weights": "weights",
}


def _words(old: FitChoice, new: FitChoice, marks: tuple[FitMarkNow, ...]) -> str:
    """Say what is changed, empty where nothing is."""
    names = {mark.line_id: mark.name for mark in marks}
    parts = [
        f"{_MODEL_WORDS[item.name]} {_said(getattr(new.models, item.name))}"
        for item in fields(FitModels)
        if getattr(new.models, item.name) != getattr(old.models, item.name)
    ]
    if new.school != old.school:
        parts.append({"all": "all marks fitted, the bad ones dropped", "grow": "grown mark by mark"}[new.school])
    changed = [line_id for line_id in new.uses if new.uses[line_id] != old.uses.get(line_id)]
    parts += [f"{names.get(line_id, 'a mark')} {_USE_WORDS[new.uses[line_id]]}" for line_id in changed[:4]]
    if len(changed) > 4:
        parts.append(f"{len(changed) - 4} more marks")
    return ", ".join(parts)


def _said(value: object) -> str:
    if value is None:
        return "none"
    return ("on" if value else "off") if isinstance(value, bool) else str(value)


def _before(session: Session, present: FitChosen) -> tuple[FitChosen, str]:
    """Return the choice that undo goes back to, and the words of the one that it takes back; ConflictError at the beginning.

    A row that undid stands for the one it went back to: undoing twice goes back two steps.
    """
    rows = {row.id: row for row in chosen_words(session, present.job_id)}
    skip, row = 0, rows[present.id]
    while row.replaces_id is not None:
        if not row.undid and not skip:
            return session.get_one(FitChosen, row.replaces_id), row.words
        skip += 1 if row.undid else -1
        row = rows[row.replaces_id]
    raise ConflictError("There is nothing more to undo.")


def undo_words(session: Session, job_id: str) -> str:
    """Return what undo would take back, empty where there is nothing."""
    present = chosen_row(session, job_id)
    if present is None:
        return ""
    try:
        return _before(session, present)[1]
    except ConflictError:
        return ""


def page(context: Context, job_id: str) -> FitView:
    """Return the Fit page of a job."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        return page_of(judged(session, job, fit_now(session, job)), undo_words(session, job_id))


def history(context: Context, job_id: str) -> FitHistory:
    """Return the choices of a job along their line, newest first."""
    with context.database.read() as session:
        job_of(session, job_id)
        rows = {row.id: row for row in chosen_rows_of(session, job_id)}
        row = next(iter(lines.current(rows.values())), None)
        listed: list[FitPast] = []
        while row is not None and len(listed) < MOST_SHOWN:
            listed.append(_past(row)[0])
            row = rows.get(row.replaces_id or "")
        return FitHistory(listed)


def _past(row: FitChosen) -> tuple[FitPast, FitParameters | None]:
    result, fit = row.result, row.result.parameters
    count = f"{counted(result.marks_h, 'mark')} horizontally, {result.marks_v} in height: {result.words}"
    past = FitPast(
        id=row.id,
        at_s=row.created_s,
        words=row.words,
        result=count if fit else result.words,
        scale_ppm=fit.scale_ppm if fit else None,
        rotation_deg=fit.rotation_deg if fit else None,
        solved=fit is not None,
    )
    return past, fit


def compare(context: Context, job_id: str, query: CompareQuery) -> FitCompared:
    """Return two fits of the history beside each other, at the marks as they are measured now."""
    with context.database.read() as session:
        job = job_of(session, job_id)
        rows = [session.get(FitChosen, row_id) for row_id in (query.one, query.other)]
        if any(row is None or row.job_id != job_id for row in rows):
            raise NotFoundError("This fit is not in the history of this job.")
        (one, first), (other, second) = (_past(row) for row in rows if row is not None)
        if first is None or second is None:
            raise InputError("One of the two has no fit: nothing to compare.")
        marks = [mark for mark in fit_marks(session, job) if mark.grid_m is not None]
        grid = np.array([[np.nan if part is None else part for part in mark.grid_m or ()] for mark in marks]).reshape(-1, 3)
        apart = local_of(job, second, grid) - local_of(job, first, grid)
    listed = [
        FitApart(name=mark.name, east_m=float(row[0]), north_m=float(row[1]), up_m=float(row[2]) if np.isfinite(row[2]) else None)
        for mark, row in zip(marks, apart, strict=True)
    ]
    turned = (second.rotation_deg - first.rotation_deg + 180.0) % 360.0 - 180.0
    return FitCompared(
        one=one,
        other=other,
        scale_ppm=second.scale_ppm - first.scale_ppm,
        rotation_deg=turned,
        marks=listed,
        largest_m=float(np.hypot(apart[:, 0], apart[:, 1]).max()) if len(apart) else 0.0,
    )
