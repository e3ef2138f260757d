"""A field test after ISO 17123-8, from its table."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from openstake.core.iso17123 import FieldTest, Independent, Measured, Predetermined, field_test
from openstake.core.judge.fieldtest import judge_field_test
from openstake.core.judge.finding import Finding, ranked
from openstake.wire.tables.fieldtest import MOST_BYTES, read_field_test
from openstake.workflow.captures import beginning_of


@dataclass(frozen=True)
class FieldTestRead:
    """What a table of a field test gives, and what is to be said of it."""

    test: FieldTest
    findings: tuple[Finding, ...]


def read_test(path: Path, sigma: Predetermined | None, independent: Independent, earlier: Path | None) -> FieldTestRead:
    """Return what a table gives; FileError where it cannot be read, InputError where it is not a whole test."""
    found = field_test(_rows(path), sigma or Predetermined(), independent, None if earlier is None else _rows(earlier))
    return FieldTestRead(found, ranked(judge_field_test(found, independent, sigma is not None)))


def _rows(path: Path) -> list[Measured]:
    return read_field_test(beginning_of(path, MOST_BYTES))
