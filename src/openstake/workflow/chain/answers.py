"""Findings answered: by whom, when and in what words.  An answer hides nothing, and another sentence is asked anew."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.errors import InputError, NotFoundError
from openstake.core.judge.finding import RULES, Finding
from openstake.core.limits import ShortText, Text
from openstake.store.models import FindingAnswer
from openstake.store.records.kits import answers_of
from openstake.workflow.command import Transaction, command

# What is answered most: a press, and a word or two.
OFFERED = ("measured again, agrees", "accepted because")


@dataclass(frozen=True, kw_only=True)
class AnswerRequest:
    """An answer to a finding as its sentence stands: the words, and by whom."""

    code: ShortText
    sentence: Text
    words: Text
    who: ShortText


@dataclass(frozen=True)
class Answer:
    """What somebody answered."""

    words: str
    who: str
    at_s: float


@dataclass(frozen=True)
class FindingAsked:
    """A finding with what was answered to it as it stands, the newest first."""

    finding: Finding
    answers: list[Answer]


def asked(session: Session, job_id: str, findings: Sequence[Finding]) -> list[FindingAsked]:
    """Return findings with their answers: one query."""
    said: dict[tuple[str, str], list[Answer]] = defaultdict(list)
    for row in answers_of(session, job_id):
        said[(row.code, row.sentence)].append(Answer(row.words, row.who, row.created_s))
    return [FindingAsked(item, said.get((item.code, item.sentence), [])) for item in findings]


@command()
def answer(tx: Transaction, request: AnswerRequest) -> None:
    """Keep an answer to a finding, with name and time."""
    words, who = request.words.strip(), request.who.strip()
    if request.code not in RULES:
        raise NotFoundError("There is no such finding.")
    if not words or words == OFFERED[1]:
        raise InputError("Say in a few words what was done, or why it is accepted.", field="words")
    if not who:
        raise InputError("Say who answers.", field="who")
    row = FindingAnswer(job_id=tx.job_id, code=request.code, sentence=request.sentence, words=words, who=who[:80], created_s=tx.now_s)
    tx.add(row)
    tx.tell("finding-answered", f"{request.sentence} {who}: {words}.", code=request.code, answer=row.id)
