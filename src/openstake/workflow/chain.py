"""The state of each step of a job: checked, entered, missing, disagrees, out of date."""

from __future__ import annotations

from typing import Any

from openstake.workflow.base import view as base_view
from openstake.workflow.check import shots as check
from openstake.workflow.context import Context, job_of
from openstake.workflow.job import system
from openstake.workflow.job.jobs import count_marks
from openstake.workflow.kit import packing
from openstake.workflow.link import pair as link
from openstake.workflow.watch import listen as watch

CHECKED, ENTERED, MISSING, DISAGREES, OUT_OF_DATE = "checked", "entered", "missing", "disagrees", "out of date"


def step_states(context: Context, job_id: str) -> list[dict[str, Any]]:
    """Return each step with its state and one line that says why."""
    with context.database.read() as session:
        job_of(session, job_id)
        marks = count_marks(session).get(job_id, 0)
    base = base_view.view(context, job_id)
    checks = check.list_checks(context, job_id)
    return [
        _job_step(marks, system.system_view(context, job_id)),
        _kit_step(packing.view(context, job_id)),
        _link_step(link.view(context, job_id)),
        _base_step(base),
        _watch_step(watch.view(context, job_id)),
        _check_step(checks, base),
        _step("book", ENTERED, "written as it happens"),
    ]


def _step(name: str, state: str, why: str) -> dict[str, Any]:
    return {"step": name, "state": state, "why": why}


def _job_step(marks: int, view: dict[str, Any]) -> dict[str, Any]:
    stops = [item["sentence"] for item in view["findings"] if item["severity"] == "stop"]
    if stops:
        return _step("job", DISAGREES, stops[0])
    return _step("job", ENTERED if marks else MISSING, f"{marks} marks given" if marks else "no control list yet")


def _kit_step(view: dict[str, Any]) -> dict[str, Any]:
    if not view["profiles"]:
        return _step("kit", MISSING, "no profile chosen")
    left = sum(not item["done"] for item in view["items"])
    if left:
        return _step("kit", ENTERED, f"{left} things not ticked off yet")
    return _step("kit", CHECKED, "everything ticked off")


def _link_step(view: dict[str, Any]) -> dict[str, Any]:
    if view["base"] is None or not view["pairs"]:
        return _step("link", MISSING, "no base and rover profiles chosen")
    if bad := [pair["rover"] for pair in view["pairs"] if not pair["agrees"]]:
        return _step("link", DISAGREES, f"{', '.join(bad)}: the two ends do not agree")
    if view["air"] is not None and not view["air"]["fits"]:
        return _step("link", DISAGREES, "the stream does not fit the link")
    # Two profiles that agree are still only a plan: what the devices are set to shows on the air.
    return _step("link", ENTERED, "both ends planned alike")


def _base_step(view: dict[str, Any]) -> dict[str, Any]:
    if view["occupation"] is None:
        return _step("base", MISSING, "no base running")
    heights = view["heights"]
    findings = [*view["findings"], *heights["findings"], *heights["closing_findings"]]
    if stops := [item["sentence"] for item in findings if item["severity"] == "stop"]:
        return _step("base", DISAGREES, stops[0])
    if view["on_air"] is None:
        return _step("base", ENTERED, "not heard on the air yet")
    return _step("base", CHECKED, "sends what is meant")


def _watch_step(view: dict[str, Any]) -> dict[str, Any]:
    live = view["live"]
    if live is None or live["status"] == "none":
        return _step("watch", MISSING, "no rover position")
    if live["status"] != "fixed":
        return _step("watch", ENTERED, f"the rover is {live['status']}")
    return _step("watch", ENTERED, "fixed, by the receiver's own claim")


def _check_step(checks: list[dict[str, Any]], base_view: dict[str, Any]) -> dict[str, Any]:
    """Judge the newest check of each mark from the running base."""
    occupation = base_view["occupation"]
    newest: dict[str, dict[str, Any]] = {}
    for item in checks:
        if occupation is not None and item["occupation_id"] == occupation["id"]:
            newest.setdefault(item["mark_id"], item)
    if not newest:
        return _step("check", MISSING, "no mark checked from this base")
    if bad := [item["mark_name"] for item in newest.values() if not item["agrees"]]:
        return _step("check", DISAGREES, f"{', '.join(bad)} outside tolerance")
    if all(item["stale"] for item in newest.values()):
        return _step("check", OUT_OF_DATE, "something changed since the check: measure again")
    return _step("check", CHECKED, f"{len(newest)} mark{'s' if len(newest) > 1 else ''} within tolerance")
