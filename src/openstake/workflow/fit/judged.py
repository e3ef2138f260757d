"""A local fit judged: its diagnosis, its findings, the one number that matters, and what the chain needs of it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from math import hypot
from typing import cast

import numpy as np
from sqlalchemy.orm import Session

from openstake.core.causes import NamedUp
from openstake.core.chain import FitSaid
from openstake.core.judge.cause import HeightsSeen, named_heights
from openstake.core.judge.finding import Finding, ranked
from openstake.core.judge.fit import judge_geometry, judge_one_mark, judge_out_of_date, judge_set_ups, judge_shots_apart
from openstake.core.judge.slip import MarkOff, SlipFound, judge_slip, slip_of
from openstake.core.limits import FIT_TELLS_FROM
from openstake.core.localfit.geometry import hull_of, spread_ratio
from openstake.core.localfit.pair import FEWEST
from openstake.core.units import counted, text_from_metres
from openstake.derive.applied import Applied, applied_now, changed_since
from openstake.derive.fit import FitMarkNow, FitNow, fit_now
from openstake.derive.heights import as_typed
from openstake.derive.job import JobNow
from openstake.derive.poles import turned_poles
from openstake.workflow.fit.diagnosis import Diagnosis, diagnosed


@dataclass(frozen=True, kw_only=True)
class FitHeadline:
    """The one number that matters: a length in metres (None where there is none yet), of which mark, and what stands beside it.

    `sentence` says the same without the number beside it.
    """

    value_m: float | None
    name: str
    words: str
    sentence: str


@dataclass(frozen=True, kw_only=True)
class Judged:
    """A fit with everything that is derived from it and is needed more than once; `slips` are by mark and component.

    `differing` are the checks that are off, by name, each with its components.
    """

    job: JobNow
    now: FitNow
    found: Diagnosis | None
    findings: tuple[Finding, ...]
    headline: FitHeadline
    said: FitSaid
    applied: Applied | None
    changed: tuple[str, ...]
    outside: frozenset[str]
    differing: Mapping[str, tuple[str, ...]]
    slips: Mapping[tuple[str, str], SlipFound]


def fit_said(session: Session, job: JobNow) -> FitSaid:
    """Return what the chain needs of the local fit."""
    return judged(session, job, fit_now(session, job)).said


def judged(session: Session, job: JobNow, now: FitNow) -> Judged:
    """Return a fit with its diagnosis, its findings, and what the fit in use rests on."""
    unit = job.length_unit
    applied = applied_now(session, job.id)
    changed = () if applied is None else changed_since(session, job, applied, now.marks)
    found = None if now.flat is None else diagnosed(now.pairs, now.flat, now.up, now.expected, unit, now.left_out)
    outside: frozenset[str] = frozenset()
    findings: list[Finding] = []
    slips: dict[tuple[str, str], SlipFound] = {}
    if now.flat is not None and found is not None:
        used = np.array([gnss_of(now, int(n)) for n in now.flat.used])
        hull = hull_of(used)
        fitted = set(now.flat.used.tolist())
        rest = [n for n in range(len(now.pairs)) if n not in fitted]
        held = hull.holds([gnss_of(now, n) for n in rest])
        outside = frozenset(now.pairs[n].name for n, inside in zip(rest, held, strict=True) if not inside)
        findings += found.findings
        plane = now.up is not None and now.up.model == "plane"
        if len(now.flat.used) >= FEWEST["similarity"]:
            findings += judge_geometry(spread_ratio(used), len(used), plane, sorted(outside))
        else:
            findings += judge_one_mark(now.pairs[now.flat.used[0]].name, now.flat.scale, now.flat.rotation_deg)
        findings += _of_bases(now)
        slips = _slips(session, job, now, found)
        for (name, component), slip in slips.items():
            findings += judge_slip(name, slip, component == "horizontal", unit)
    findings += judge_shots_apart([(mark.name, mark.apart_m) for mark in now.marks], unit)
    findings += judge_out_of_date(changed)
    differing = {} if found is None else _differing(found)
    listed = ranked(findings)
    headline = _headline(now, found, differing, unit)
    said = FitSaid(
        marks=len(now.marks),
        measured=len(now.measured),
        solved=now.flat is not None,
        applied=applied is not None,
        changed=bool(changed),
        proven=_is_proven(now, found),
        words=headline.sentence,
        findings=listed,
    )
    return Judged(
        job=job,
        now=now,
        found=found,
        findings=listed,
        headline=headline,
        said=said,
        applied=applied,
        changed=changed,
        outside=outside,
        differing=differing,
        slips=slips,
    )


def gnss_of(now: FitNow, place: int) -> tuple[float, float]:
    return now.pairs[place].gnss_e_m, now.pairs[place].gnss_n_m


def _of_bases(now: FitNow) -> list[Finding]:
    used = [now.marks[now.measured[int(n)]] for n in (now.flat.used if now.flat is not None else [])]
    set_ups = {item for mark in used for item in mark.set_ups}
    return judge_set_ups([mark.name for mark in used if mark.autonomous], len(set_ups))


def _is_proven(now: FitNow, found: Diagnosis | None) -> bool:
    if now.flat is None or found is None or found.suspects:
        return False
    checks = [pair for pair in now.pairs if pair.use == "check" and pair.name not in now.left_out]
    return len(now.flat.used) >= FIT_TELLS_FROM or (now.flat.redundancy > 0 and bool(checks))


def _differing(found: Diagnosis) -> dict[str, tuple[str, ...]]:
    """Return the checks that are off by more than is explained, by name, each with its components."""
    said = [item for item in found.findings if item.code == "fit-check-differs"]
    return {str(item.numbers["mark"]): tuple(map(str, cast(Sequence[str], item.numbers["components"]))) for item in said}


def _headline(now: FitNow, found: Diagnosis | None, differing: Collection[str], unit: str) -> FitHeadline:
    if not now.marks:
        return _without_number("no local coordinates yet")
    if now.flat is None or found is None:
        return _without_number(now.problem)
    rows = off_by_line(found)
    if found.suspects:
        first = found.suspects[0]
        flat, up = rows[first.name]
        value, side = (flat, "horizontally") if first.component == "horizontal" else (up, "in height")
        who = first.name if first.can_tell else " or ".join(in_doubt(found)[first.component][:3])
        return _with_number(value, first.name, f"{who}, {side}, from where the others put it", unit)
    off = next(iter(differing), "")
    if off:
        flat, up = rows[off]
        return _with_number(max(flat or 0.0, up or 0.0), off, f"{off}, kept as a check, from where the fit puts it", unit)
    judging = {pair.name for pair in now.pairs if pair.use != "v" and pair.name not in now.left_out}
    sized = [(flat, name) for name, (flat, _) in rows.items() if flat is not None and name in judging]
    if not sized:
        return _without_number(f"{counted(len(now.flat.used), 'mark')}, and nothing left over to judge by")
    worst, name = max(sized)
    return FitHeadline(
        value_m=worst,
        name=name,
        words=f"{name}, the farthest of {counted(len(sized), 'mark')} from where the others put them",
        sentence=f"{counted(len(sized), 'mark')} {'agrees' if len(sized) == 1 else 'agree'} to {text_from_metres(worst, unit)}",
    )


def _without_number(words: str) -> FitHeadline:
    return FitHeadline(value_m=None, name="", words=words, sentence=words)


def _with_number(value_m: float | None, name: str, words: str, unit: str) -> FitHeadline:
    size = "" if value_m is None else f"{text_from_metres(value_m, unit)}: "
    return FitHeadline(value_m=value_m, name=name, words=words, sentence=f"{size}{words}")


def in_doubt(found: Diagnosis) -> dict[str, list[str]]:
    """Return whom the residuals accuse, by component: the worst alone where the data can tell, else every suspect of it.

    A blunder bends the fit at its neighbours too: once the worst is gone, they show whether anything is wrong with them.
    """
    suspected: dict[str, list[str]] = {}
    for suspect in found.suspects:
        own = suspected.setdefault(suspect.component, [])
        if not own or not _tells(found, suspect.component):
            own.append(suspect.name)
    return suspected


def _tells(found: Diagnosis, component: str) -> bool:
    return next(suspect.can_tell for suspect in found.suspects if suspect.component == component)


def off_by_line(found: Diagnosis) -> dict[str, tuple[float | None, float | None]]:
    """Return how far each mark is from where the others put it, horizontally and in height, by its name."""
    return {
        row.name: (
            None if row.left_out_e_m is None or row.left_out_n_m is None else hypot(row.left_out_e_m, row.left_out_n_m),
            None if row.left_out_h_m is None else abs(row.left_out_h_m),
        )
        for row in found.points
    }


# --- slips ---


def _slips(session: Session, job: JobNow, now: FitNow, found: Diagnosis) -> dict[tuple[str, str], SlipFound]:
    """Return the slips that the worst suspects and the checks that are off have the size of, by mark and component."""
    worst = {suspect.component: suspect.name for suspect in reversed(found.suspects)}
    asked = [(name, component) for component, name in worst.items()]
    asked += [(name, component) for name, components in _differing(found).items() for component in components]
    if not asked:
        return {}
    by_name = {now.marks[place].name: n for n, place in enumerate(now.measured)}
    leans = [(item.pole, item.lean.lean_m) for item in turned_poles(session).values() if item.leans]
    slips = {}
    for name, component in asked:
        n = by_name[name]
        mark, row = now.marks[now.measured[n]], found.points[n]
        off = MarkOff(
            name=name,
            given_m=(mark.row.local_e_m, mark.row.local_n_m, mark.row.local_h_m),
            off_m=(row.left_out_e_m, row.left_out_n_m, row.left_out_h_m),
            sigma_m=_sigma_of_left_out(now, found, n),
            heights=_heights(now, mark),
            leans=leans,
        )
        if slip := slip_of(off, component == "horizontal", job.length_unit):
            slips[(name, component)] = slip
    return slips


def _sigma_of_left_out(now: FitNow, found: Diagnosis, n: int) -> tuple[float, float, float]:
    """Return one sigma of a left-out difference in east, north, up.

    Of a mark of the fit its own over the root of its redundancy; of one outside its own and that of the fit there.
    """
    assert now.flat is not None, "there is a fit"
    pair, flat, up = now.pairs[n], now.flat, now.up
    if n in flat.used:
        place = list(flat.used).index(n)
        own = (flat.variance_of_unit / flat.weights[place]) ** 0.5
        sides = own / np.sqrt(np.maximum(found.of_flat.redundancy[place], 1e-9))
    else:
        there = np.max(np.diag(flat.covariance_m2(pair.gnss_e_m, pair.gnss_n_m)))
        sides = np.full(2, (there + (pair.sigma_h_m or flat.sigma0_m or 0.0) ** 2) ** 0.5)
    high = 0.0
    if up is not None and found.of_up is not None and n in up.used:
        place = list(up.used).index(n)
        redundancy = max(float(found.of_up.redundancy[place, 0]), 1e-9)
        high = float((up.variance_of_unit / up.weights[place] / redundancy) ** 0.5)
    elif up is not None:
        high = float((up.variance_m2(pair.gnss_e_m, pair.gnss_n_m) + (pair.sigma_v_m or up.sigma0_m or 0.0) ** 2) ** 0.5)
    return float(sides[0]), float(sides[1]), high


def _heights(now: FitNow, mark: FitMarkNow) -> tuple[NamedUp, ...]:
    """Return the heights of the pole that would show at this mark: digits exchanged, never taken off, another mark's height."""
    used = [item for item in mark.shots if not item.why_not]
    if not used:
        return ()
    typed = {row.text: row for row in (as_typed(item.point.rover_height) for item in used)}
    own = used[0].point.rover_height
    found = list(
        named_heights(HeightsSeen(base_readings=(), rover_readings=tuple(typed.values()), base_arp_m=0.0, pole_m=own.arp_height_m))
    )
    others = {item.point.rover_height.arp_height_m: item.point.rover_height.text for m in now.marks for item in m.shots}
    found += [
        NamedUp(height - own.arp_height_m, f"the pole stood at '{text}', and '{own.text}' was typed")
        for height, text in others.items()
        if height != own.arp_height_m
    ]
    return tuple(found)
