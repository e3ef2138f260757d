"""The local fit as files: JSON, a PROJ pipeline, the residuals as CSV; and as parts of a report, with the plan."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict

from openstake import __version__
from openstake.core.chain import State
from openstake.core.errors import ConflictError, InputError
from openstake.core.localfit.parameters import pipeline_of
from openstake.core.report import FitPlan, PlanMark, ReportPart
from openstake.core.units import METRES_PER_UNIT, text_from_metres
from openstake.derive.fit import fit_now
from openstake.derive.job import job_of
from openstake.wire.tables.cells import csv_text
from openstake.workflow.context import Context, file_name
from openstake.workflow.fit.judged import Judged, judged
from openstake.workflow.fit.view import FitMarkView, FitView, page_of

FILES = {"json": "application/json", "proj": "text/plain", "csv": "text/csv"}


def export(context: Context, job_id: str, kind: str) -> tuple[bytes, str, str]:
    """Return the fit that is shown as a file: its content, media type and name."""
    if kind not in FILES:
        raise InputError(f"'{kind[:20]}' is not a format of a fit; it is {', '.join(FILES)}.")
    item, shown = _shown(context, job_id)
    content = {"json": _json, "proj": _proj, "csv": _csv}[kind](item, shown)
    ending = "txt" if kind == "proj" else kind
    return content.encode(), FILES[kind], f"{file_name(item.job.name)}-fit.{ending}"


def _shown(context: Context, job_id: str) -> tuple[Judged, FitView]:
    with context.database.read() as session:
        job = job_of(session, job_id)
        item = judged(session, job, fit_now(session, job))
        shown = page_of(item, "")
    if item.now.parameters is None:
        raise ConflictError(f"There is no fit to write: {item.now.problem}")
    return item, shown


def _json(item: Judged, shown: FitView) -> str:
    assert item.now.parameters is not None, "there is a fit"
    return json.dumps(
        {
            "job": item.job.name,
            "system": item.job.settings.system_label or item.job.frame.name,
            "frame": item.job.positions_label,
            "frame_epoch": item.job.settings.frame_epoch,
            "software": f"Open Stake {__version__}",
            "parameters": asdict(item.now.parameters),
            "models": asdict(shown.models),
            "proj_pipeline": pipeline_of(item.now.parameters),
            "expected": asdict(shown.expected),
            "horizontal": shown.horizontal and asdict(shown.horizontal),
            "vertical": shown.vertical and asdict(shown.vertical),
            "marks": [asdict(mark) for mark in shown.marks],
            "findings": [asdict(found) for found in shown.findings],
        },
        ensure_ascii=False,
        indent=1,
        default=str,
    )


def _proj(item: Judged, shown: FitView) -> str:
    assert item.now.parameters is not None, "there is a fit"
    fit, site = item.now.parameters, item.now.parameters.site
    height = {"none": "no height", "ellipsoid": "ellipsoidal height", "geoid": "height by the job's geoid grid"}[fit.heights]
    grid = item.job.settings.system_label or item.job.frame.name
    if site is not None:
        grid = f"a transverse Mercator about {site.latitude_deg}, {site.longitude_deg} at {site.height_m:g} m (50 000, 50 000 there)"
    return (
        f"# {item.job.name}: from GNSS east and north in {grid} and {height} (metres) to local east, north and height (metres)\n"
        f"{pipeline_of(fit)}\n"
    )


def _csv(item: Judged, shown: FitView) -> str:
    factor, unit = METRES_PER_UNIT[item.job.length_unit], item.job.length_unit

    def length(value: float | None) -> str:
        return "" if value is None else f"{value / factor:.4f}"

    header = [
        "name",
        "use",
        *(
            f"{name}_{unit}"
            for name in (
                "local_east",
                "local_north",
                "local_height",
                "gnss_east",
                "gnss_north",
                "gnss_height",
                "residual_east",
                "residual_north",
                "residual_height",
                "left_out_east",
                "left_out_north",
                "left_out_height",
            )
        ),
        "standardised_east",
        "standardised_north",
        "standardised_up",
    ]
    rows: list[Sequence[object]] = [header]
    for mark in shown.marks:
        point = mark.point
        places = (mark.local_e_m, mark.local_n_m, mark.local_h_m, mark.gnss_e_m, mark.gnss_n_m, mark.gnss_h_m)
        off = (
            (None,) * 6
            if point is None
            else (point.residual_e_m, point.residual_n_m, point.residual_h_m, point.left_out_e_m, point.left_out_n_m, point.left_out_h_m)
        )
        sized = (None,) * 3 if point is None else (point.standardised.east, point.standardised.north, point.standardised.up)
        rows.append([mark.name, mark.use, *(length(value) for value in (*places, *off)), *("" if s is None else f"{s:.2f}" for s in sized)])
    return csv_text(rows)


def report_of(context: Context, job_id: str) -> list[ReportPart]:
    """Return the fit that is shown as parts of a report: its plan, its numbers, its marks; ConflictError where there is none."""
    item, shown = _shown(context, job_id)
    job, flat, up = item.job, shown.horizontal, shown.vertical
    assert flat is not None, "there is a fit"
    unit = job.length_unit
    sigma = (
        "nothing left over"
        if flat.redundancy <= 0
        else (
            f"sigma of a component {text_from_metres(flat.sigma0_m, unit)}, estimated"
            if flat.sigma0_m is not None
            else f"variance factor {flat.variance_factor:.2f}"
        )
    )
    values = [
        ("Horizontal", f"{flat.model}: scale {flat.scale:.9f} ({flat.scale_ppm:+.1f} ppm), rotation {flat.rotation_deg:+.6f}°"),
        (
            "Shift",
            f"{text_from_metres(flat.shift_e_m, unit)} east, {text_from_metres(flat.shift_n_m, unit)} north; {sigma}, redundancy {flat.redundancy}",
        ),
        (
            "Expected",
            f"scale {shown.expected.scale:.9f}"
            + ("" if shown.expected.rotation_deg is None else f", rotation {shown.expected.rotation_deg:+.6f}°"),
        ),
        (
            "Vertical",
            "none"
            if up is None
            else f"{up.model}: {text_from_metres(up.constant_m, unit)}, slopes {up.slope_east_ppm:+.1f} east and {up.slope_north_ppm:+.1f} north ppm, redundancy {up.redundancy}",
        ),
        ("Test", shown.test_words),
        ("In use", "no" if shown.applied is None else "yes" if shown.applied.is_shown else "another fit"),
    ]
    header = ("mark", "use", "left out E", "N", "H", "residual E", "N", "H", f"95 % ({unit})")
    plan = FitPlan(
        marks=tuple(_plan_mark(mark) for mark in shown.marks),
        hull_m=tuple((corner.east_m, corner.north_m) for corner in shown.hull),
        unit=unit,
        metres_per_unit=METRES_PER_UNIT[unit],
    )
    return [
        ReportPart(title="Result", sentences=[item.headline.sentence], drawing=plan),
        ReportPart(title="The fit", values=values),
        ReportPart(
            title="Marks",
            sentences=["Residuals are fitted − given; left out: predicted by the others − given."],
            table=[header, *(_cells(mark, METRES_PER_UNIT[unit]) for mark in shown.marks)],
        ),
        ReportPart(
            title="What is to be said", sentences=[f"{found.severity.value}: {found.sentence}" for found in shown.findings] or ["Nothing."]
        ),
    ]


def _plan_mark(mark: FitMarkView) -> PlanMark:
    point = mark.point
    residual = (
        None if point is None or point.residual_e_m is None or point.residual_n_m is None else (point.residual_e_m, point.residual_n_m)
    )
    return PlanMark(
        name=mark.name,
        east_m=mark.local_e_m,
        north_m=mark.local_n_m,
        residual_m=residual,
        used=mark.horizontal,
        flagged=mark.state is State.DISAGREES,
    )


def _cells(mark: FitMarkView, factor: float) -> tuple[str, ...]:
    point = mark.point

    def length(value: float | None) -> str:
        return "–" if value is None else f"{value / factor:+.3f}"

    off = (
        (None,) * 6
        if point is None
        else (point.left_out_e_m, point.left_out_n_m, point.left_out_h_m, point.residual_e_m, point.residual_n_m, point.residual_h_m)
    )
    predicted = "–" if mark.predicted_95_m is None else f"{mark.predicted_95_m / factor:.3f}"
    return (mark.name, mark.use, *(length(value) for value in off), predicted)
