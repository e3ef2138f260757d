"""What comes from other crews: a value that two replaced apart from each other, a package that proves nothing of its rows."""

from __future__ import annotations

from openstake.core.judge.finding import Finding, Severity, finding

# What was replaced twice, by its table, and the code that says so; of all others, nothing of a coordinate rests on.
_CODES = {
    "mark": "crews-differ-mark",
    "base_coordinate": "crews-differ-base",
    "fit_mark": "crews-differ-grid",
    "fit_chosen": "crews-differ-grid",
    "fit_applied": "crews-differ-grid",
    "job_settings": "crews-differ-settings",
}


def judge_crews(table: str, what: str, ends: tuple[str, ...], in_use: str, subject: str = "") -> Finding:
    """Return what two crews' values of one thing say; `subject` is `base` or `rover` of a height, `in_use` the value that is used."""
    code = _CODES.get(table, "crews-differ")
    if table == "height_reading":
        code = "crews-differ-antenna" if subject == "base" else "crews-differ-pole"
    severity = Severity.LOOK if code == "crews-differ" else Severity.STOP
    return finding(
        code,
        severity,
        f"{what}: one crew has {', another '.join(ends)}.",
        f"They replaced the same value independently. {in_use} is used until it is settled: it was written last.",
        "Ask the crews, and say on the Book page which one holds.",
        what=what,
    )


def judge_package(version: str) -> list[Finding]:
    """Return what is to be said of a job that came with a package of `version`, which hashed no rows; nothing where it is empty."""
    if not version:
        return []
    return [
        finding(
            "package-unproven",
            Severity.LOOK,
            f"This job came with a package of {version}, which put no hash over its rows.",
            "That version had none. Marks, heights or the base may have been changed in the file, and nothing would show it.",
            "Compare marks and base with what the crew has, or have the job packed again by a newer version and unpack that.",
            version=version,
        )
    ]
