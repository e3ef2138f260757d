"""Go, go with care, or stop: for one check, and for a job by all of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from openstake.core.chain import State
from openstake.core.check_plan import PlanNow
from openstake.core.judge.finding import Finding, Severity
from openstake.core.limits import WEAKENS


class Word(StrEnum):
    """What a verdict says."""

    GO = "go"
    CARE = "go with care"
    STOP = "stop"


@dataclass(frozen=True)
class Verdict:
    """A verdict with its reasons, the weightiest first."""

    word: Word
    reasons: tuple[str, ...]


def verdict_of_check(findings: Sequence[Finding], stale: bool) -> Verdict:
    """Return the verdict on one check: stop where a finding of it does, care where one asks for a look or weakens it."""
    stops = [item.sentence for item in findings if item.is_stop]
    if stops:
        return Verdict(Word.STOP, tuple(stops))
    care = [item.sentence for item in findings if item.severity is Severity.LOOK or item.code in WEAKENS]
    if stale:
        care.insert(0, "Something this check rests on was changed after it.")
    if care:
        return Verdict(Word.CARE, tuple(care))
    return Verdict(Word.GO, tuple(item.sentence for item in findings[:1]))


def verdict_of_job(plan: PlanNow, checks: Iterable[tuple[str, Verdict]], others: Sequence[Finding] = ()) -> Verdict:
    """Return the verdict on a job: by its plan, the newest check of each mark by its name, and what was found over all of them."""
    newest = [
        Verdict(item.word, tuple(reason if mark in reason else f"{mark}: {reason}" for reason in item.reasons)) for mark, item in checks
    ]
    if not newest:
        return Verdict(Word.STOP, ("No mark has been checked from this base: no work on a fix that nothing has proven.",))
    # What explains all of them comes first.
    stops = [item.sentence for item in others if item.is_stop]
    stops += [reason for item in newest if item.word is Word.STOP for reason in item.reasons]
    if stops or plan.state is State.DISAGREES:
        return Verdict(Word.STOP, tuple(stops) or (f"{_begun(plan.why)}.",))
    care = [f"The plan of checks is not fulfilled; {plan.why}."] if not plan.fulfilled else []
    if plan.lacks:
        care.append(plan.lacks)
    care += [reason for item in newest if item.word is Word.CARE for reason in item.reasons]
    care += [item.sentence for item in others if item.severity is Severity.LOOK]
    if care:
        return Verdict(Word.CARE, tuple(dict.fromkeys(care)))
    return Verdict(Word.GO, (f"{_begun(plan.why)}.",))


def _begun(words: str) -> str:
    return words[:1].upper() + words[1:]
