"""A field test after ISO 17123-8, from its table."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from openstake.core.errors import FileError
from openstake.core.iso17123 import Independent, Measured, Predetermined, TestItem, field_test
from openstake.core.judge.fieldtest import judge_field_test
from openstake.core.judge.finding import Finding, ranked
from openstake.wire.tables.fieldtest import MOST_BYTES, read_field_test


@dataclass(frozen=True)
class FieldTestRead:
    """What a table of a field test gives; standard deviations and degrees of freedom are None in the simplified test."""

    series: int
    s_xy_m: float | None
    s_h_m: float | None
    dof_xy: int | None
    dof_h: int | None
    sigma_xy_m: float
    sigma_h_m: float
    distance_m: float
    height_difference_m: float
    distance_deviations: tuple[float, ...]
    height_deviations: tuple[float, ...]
    tests: tuple[TestItem, ...]
    findings: tuple[Finding, ...]


def read_test(path: Path, sigma: Predetermined | None, independent: Independent, earlier: Path | None) -> FieldTestRead:
    """Return what a table gives; FileError where it cannot be read, InputError where it is not a whole test."""
    used = sigma or Predetermined()
    found = field_test(_rows(path), used, independent, None if earlier is None else _rows(earlier))
    return FieldTestRead(
        found.series, found.s_xy_m, found.s_h_m, found.dof_xy, found.dof_h, used.xy_m, used.h_m, found.distance_m,
        found.height_difference_m, found.distance_deviations, found.height_deviations, found.tests,
        ranked(judge_field_test(found, independent, sigma is not None)),
    )  # fmt: skip


def _rows(path: Path) -> list[Measured]:
    try:
        with path.open("rb") as file:
            return read_field_test(file.read(MOST_BYTES + 1))
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror or error}.") from None
