"""The one way texts leave for tables and XML: no spreadsheet takes a cell for a formula, no XML holds what it cannot."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

from openstake.wire.jsontext import FORBIDDEN

_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n")
_NUMBER = re.compile(r"[+-]?\d+(\.\d*)?([eE][+-]?\d+)?")


def csv_text(rows: Iterable[Sequence[object]]) -> str:
    """Return rows as CSV (RFC 4180); a text that begins like a formula gets a quote before it, a number does not."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerows([harmless(cell) if isinstance(cell, str) else cell for cell in row] for row in rows)
    return out.getvalue()


def harmless(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula."""
    return f"'{text}" if text.startswith(_FORMULA) and not _NUMBER.fullmatch(text) else text


def utc_text(unix_s: float) -> str:
    """Return a moment as ISO 8601 has it, UTC, to the second: `2026-11-27T08:14:05Z`."""
    return f"{datetime.fromtimestamp(round(unix_s), UTC):%Y-%m-%dT%H:%M:%SZ}"


def xml_text(text: str) -> str:
    """Return a text without the characters that XML has no way to write.  Source: XML 1.0, production Char."""
    return FORBIDDEN.sub("", text)
