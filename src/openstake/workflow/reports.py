"""Reports: what a page shows, set for paper, each with what its numbers are in and what they were measured with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake import __version__
from openstake.core.base_sources import source_title
from openstake.core.errors import ConflictError, InputError
from openstake.core.kit.gear import Gear
from openstake.core.limits import ShortText
from openstake.core.report import REPORTS, Bar, HeightStack, Report, ReportKind, ReportPart, StackLevel, Target, TargetShot
from openstake.core.units import UNIT_WORDS, text_from_metres
from openstake.derive.base import BaseNow, bases_of
from openstake.derive.job import JobNow, job_of
from openstake.derive.kit import KitNow, kit_of
from openstake.derive.marks import head_of
from openstake.store.models import Shot
from openstake.store.records.bases import latest_occupation
from openstake.store.records.shots import shots_page
from openstake.wire.reportpdf import write_report
from openstake.workflow.book import days
from openstake.workflow.chain.budget import BudgetShown
from openstake.workflow.chain.page import page as chain_page
from openstake.workflow.check import fieldtests
from openstake.workflow.check.checks import MOST_CHECKS, Checked, checked
from openstake.workflow.context import Context, file_name
from openstake.workflow.fit.out import report_of as fit_report_of
from openstake.workflow.work import Work

MEDIA_TYPE = "application/pdf"


@dataclass(frozen=True)
class ReportQuery:
    """The day of a day sheet as 2026-11-27; the newest one where it is empty."""

    day: ShortText = ""


@dataclass(frozen=True)
class ReportOffered:
    """A report that can be printed: its kind, its title, where it is."""

    kind: ReportKind
    title: str
    path: str


@dataclass(frozen=True)
class ReportsView:
    """The reports of a job."""

    reports: list[ReportOffered]


def offered(context: Context, job_id: str) -> ReportsView:
    """Return which reports there are."""
    with context.database.read() as session:
        job_of(session, job_id)
    return ReportsView([ReportOffered(kind, title, f"/api/jobs/{job_id}/reports/{kind}.pdf") for kind, title in REPORTS.items()])


def pdf(context: Context, job_id: str, kind: str, query: ReportQuery) -> tuple[bytes, str, str]:
    """Return a report as PDF: its content, media type and name; InputError for another kind, ConflictError where nothing is to report."""
    made = _KINDS.get(kind)
    if made is None:
        raise InputError(f"'{kind[:20]}' is not a kind of report; it is {', '.join(REPORTS)}.")
    with context.database.read() as session:
        job = job_of(session, job_id)
        kit = kit_of(session, job_id)
    parts = made(context, job, kit, query)
    printed = _moment(job, context.now(job_id))
    title = next(words for key, words in REPORTS.items() if key == kind)
    report = Report(
        title=title, job=job.name, printed=printed, version=f"Open Stake {__version__}", parts=[*parts, _meant(job), _devices(kit)]
    )
    return write_report(report), MEDIA_TYPE, f"{file_name(job.name)}-{kind}.pdf"


def begin(context: Context, job_id: str, kind: str, query: ReportQuery) -> Work:
    """Begin to make a report."""
    with context.database.read() as session:
        name = job_of(session, job_id).name
    return context.works.begin_file(f"Report of {name}", job_id, lambda: pdf(context, job_id, kind, query))


def _moment(job: JobNow, unix_s: float) -> str:
    found = job.local_time(unix_s)
    return f"{found.day} {found:%B %Y, %H:%M} ({job.settings.time_zone})"


def _short(job: JobNow, unix_s: float) -> str:
    """Return a moment for a table: the time zone stands at the head of the report."""
    found = job.local_time(unix_s)
    return f"{found.day} {found:%b %Y %H:%M}"


def _meant(job: JobNow) -> ReportPart:
    """Return what the numbers of a report are in."""
    settings = job.settings
    geoid = "none" if job.geoid_file is None else job.geoid_file.name
    return ReportPart(
        title="What the numbers are in",
        values=[
            ("Coordinate system", f"{settings.system_label or job.frame.name} ({job.system_statement})"),
            ("Frame and epoch", f"{job.frame_of(job.positions_label)}, {settings.frame_epoch or 'epoch as the control list'}"),
            ("Heights", "ellipsoidal" + (f"; elevations in {settings.vertical_system}" if settings.vertical_system else "")),
            ("Geoid", geoid),
            ("Unit of length", UNIT_WORDS[job.length_unit]),
            ("Client and task", ", ".join(said for said in (settings.client, settings.task) if said) or "not stated"),
            ("Crew", settings.crew or "not stated"),
        ],
    )


def _devices(kit: KitNow) -> ReportPart:
    """Return the receivers and antennas of the job's profiles with their full serials and firmware."""
    rows = [("For", "Receiver, serial, firmware", "Antenna, serial", "Pole or tripod")]
    for profile in kit.profiles:
        receiver, antenna = kit.gear.get(("receiver", profile.receiver)), kit.gear.get(("antenna", profile.antenna))
        rows.append(
            (
                "base" if profile.role == "base" else "rover",
                _named(profile.receiver, receiver, "serial", "firmware"),
                _named(profile.antenna, antenna, "serial"),
                profile.pole or "not stated",
            )
        )
    if len(rows) == 1:
        return ReportPart(title="Measured with", sentences=["No profile is chosen in this job: the devices are not stated."])
    return ReportPart(title="Measured with", table=rows)


def _named(name: str, item: Gear | None, *fields: str) -> str:
    """Return a thing of the kit with its numbers; what nobody has entered is said."""
    if not name:
        return "not stated"
    return ", ".join([name, *(getattr(item, field, "") or f"{field} not stated" for field in fields)])


# --- day ---


def _day(context: Context, job: JobNow, kit: KitNow, query: ReportQuery) -> list[ReportPart]:
    day = query.day or next((item.day for item in days.days(context, job.id).days), "")
    if not day:
        raise ConflictError("Nothing is written in this job's Book yet.")
    sheet = days.sheet(context, job.id, day)
    signed = [
        f"Signed off by {item.who}, {_moment(job, item.at_s)}{f': {item.words}' if item.words else ''}. The frozen copy "
        f"{'is whole' if item.whole else 'is NOT the one that was signed'}; SHA-256 {item.sha256}."
        for item in sheet.day.signed
    ] or ["Not signed off."]
    if sheet.day.after:
        signed.append(f"{sheet.day.after} lines of this day were written after it was signed off.")
    parts = [ReportPart(title=part.title, sentences=part.lines) for part in sheet.parts]
    return [
        ReportPart(title=sheet.day.words, values=[("Lines in the Book", f"{sheet.day.lines}")]),
        *parts,
        ReportPart(title="Signature", sentences=signed),
    ]


# --- base ---


def _last_base(session: Session, job: JobNow) -> BaseNow:
    last = latest_occupation(session, job.id)
    if last is None:
        raise ConflictError("No base has run in this job yet.")
    return bases_of(session, job.id, {last.id})[last.id]


def _base(context: Context, job: JobNow, kit: KitNow, query: ReportQuery) -> list[ReportPart]:
    with context.database.read() as session:
        base = _last_base(session, job)
        mark = head_of(session, job, base.occupation.mark_id)
    unit, coordinate, height = job.length_unit, base.coordinate, base.height
    east, north, up = (float(value) for value in job.frame.grid_from_ecef(base.mark_m))
    latitude, longitude, _ = (float(value) for value in job.frame.datum_geodetic_from_ecef(base.mark_m))
    x, y, z = base.mark_m
    ended = "runs still" if base.ended_s is None else _moment(job, base.ended_s)
    replaced = {row.replaces_id for row in base.readings.rows if row.replaces_id}
    readings = [("When", "Read", "Typed", "To", "ARP above the mark", "By", "")]
    readings += [
        (
            _short(job, row.created_s),
            row.moment,
            row.text,
            row.feature_label,
            text_from_metres(row.arp_height_m, unit),
            row.who or "not stated",
            "corrected later" if row.id in replaced else "set aside" if row.set_aside else row.reason,
        )
        for row in base.readings.rows
    ]
    earlier = [
        f"Before: {row.detail}, until it was replaced: {after.reason or 'no reason given'}."
        for row, after in zip(base.coordinates, base.coordinates[1:], strict=False)
    ]
    return [
        ReportPart(
            title=f"Base on {mark.name}",
            values=[
                ("Station", str(base.occupation.station_id)),
                ("From", _moment(job, base.occupation.started_s)),
                ("To", ended),
                ("East, north", f"{text_from_metres(east, unit)}, {text_from_metres(north, unit)}"),
                ("Ellipsoidal height of the mark", text_from_metres(up, unit)),
                ("Latitude, longitude", f"{latitude:.9f}, {longitude:.9f} degrees"),
                ("Earth-centred", f"{x:.4f}, {y:.4f}, {z:.4f} m"),
                ("Coordinate from", f"{source_title(coordinate.source)}: {coordinate.detail}"),
                (
                    "Good for, 95 %",
                    f"{text_from_metres(coordinate.accuracy_horizontal_95_m, unit)} horizontally, "
                    f"{text_from_metres(coordinate.accuracy_vertical_95_m, unit)} in height",
                ),
                ("Frame and epoch", f"{coordinate.frame}, {coordinate.frame_epoch}"),
                ("Locked as control", "yes" if coordinate.locked else "no"),
            ],
            sentences=earlier,
        ),
        ReportPart(
            title="Height of the antenna",
            values=[("ARP above the mark", f"{text_from_metres(height.arp_height_m, unit)}, from {height.text}")],
            drawing=_stack_of(base, kit, unit),
        ),
        ReportPart(title="Readings, oldest first", table=readings),
    ]


def _stack_of(base: BaseNow, kit: KitNow, unit: str) -> HeightStack:
    """Return the antenna over its mark: what was measured to, the ARP, and the phase centre where the kit knows it."""
    height, above = base.height, kit.phase_centre_m(base=True)
    levels = [StackLevel("mark", 0.0)]
    levels += [
        StackLevel(f"{reading.to.label}, by '{reading.text}'", reading.arp_height_m - reading.to.feature_to_arp_m)
        for reading in height.readings
        if reading.to.feature_to_arp_m
    ]
    levels.append(StackLevel("ARP, bottom of mount", height.arp_height_m))
    if above is not None:
        levels.append(StackLevel("phase centre (first frequency)", height.arp_height_m + above))
    return HeightStack(tuple(levels), tuple(text_from_metres(level.above_m, unit) for level in levels))


# --- checks ---


def _checks(context: Context, job: JobNow, kit: KitNow, query: ReportQuery) -> list[ReportPart]:
    with context.database.read() as session:
        shots, earlier = shots_page(session, job.id, "", MOST_CHECKS, True, Shot.mark_id.is_not(None))
        items = checked(session, job, shots)
    if not items:
        raise ConflictError("No mark has been checked in this job yet.")
    unit, found = job.length_unit, [item.check for item in items]

    def row(item: Checked) -> tuple[str, ...]:
        check, rover = item.check, item.point.rover_height
        up = "not compared" if check.up_m is None else text_from_metres(check.up_m, unit)
        return (
            check.mark_name,
            _short(job, check.created_s),
            text_from_metres(check.east_m, unit),
            text_from_metres(check.north_m, unit),
            up,
            f"{text_from_metres(check.tolerance_horizontal_m, unit)} / {text_from_metres(check.tolerance_vertical_m, unit)}",
            f"{text_from_metres(check.expected_horizontal_95_m, unit)} / {text_from_metres(check.expected_vertical_95_m, unit)}",
            f"'{rover.text}' to {rover.feature_label}",
            str(check.epochs),
            f"{check.state}: {check.verdict.word}",
        )

    header = ("Mark", "When", "East", "North", "Up", "Tolerance", "Expected, 95 %", "Rover height", "Epochs", "State")
    newest = {check.mark_name: check for check in reversed(found)}
    ring_m = max(check.tolerance_horizontal_m for check in newest.values())
    target = Target(
        ring_m,
        text_from_metres(ring_m, unit),
        tuple(
            TargetShot(name=check.mark_name, east_m=check.east_m, north_m=check.north_m, agrees=check.horizontal_agrees)
            for check in newest.values()
        ),
    )
    said = [f"{item.sentence} {item.cause}" for check in newest.values() for item in check.findings[:1]]
    return [
        ReportPart(
            title="The newest check of each mark",
            values=[("Base height of the newest", items[0].point.base_height.text)],
            sentences=said,
            drawing=target,
        ),
        ReportPart(
            title=f"{'All' if earlier is None else 'The newest'} {len(found)} checks, newest first (observed - known)",
            table=[header, *map(row, items)],
        ),
    ]


# --- field test ---


def _field_test(context: Context, job: JobNow, kit: KitNow, query: ReportQuery) -> list[ReportPart]:
    view = fieldtests.view(context, job.id)
    whole = next((item for item in view.tests if item.result is not None), None)
    if whole is None:
        raise ConflictError("No field test has been measured through in this job yet.")
    return field_test_parts(whole, job, view.source)


def field_test_parts(view: fieldtests.FieldTestView, job: JobNow, source: str) -> list[ReportPart]:
    """Return the parts of a report on a field test that was measured through."""
    result, unit = view.result, job.length_unit
    assert result is not None, "it was measured through"
    tests = [("Test", "Statistic", "Limit", "For all together", "")]
    tests += [
        (item.name, f"{item.statistic:.3g}", f"{item.limit:.3g}", f"{item.corrected_limit:.3g}", "passed" if item.passed else "not passed")
        for item in result.tests
    ]
    measured = [item for item in view.sets if item.begun_s is not None]
    sets = [("Series", "Set", "Measured", "Distance off", "Height difference off")]
    sets += [
        (str(item.series), str(item.set), _short(job, item.begun_s or 0.0), text_from_metres(far_m, unit), text_from_metres(up_m, unit))
        for item, far_m, up_m in zip(measured, result.distance_deviations, result.height_deviations, strict=True)
    ]
    return [
        ReportPart(
            title=f"{'Full' if view.full else 'Simplified'} test: {view.verdict}",
            values=[
                ("After", source),
                ("Gives", view.quality),
                ("Chance", view.chance),
                ("Distance of the points", text_from_metres(result.distance_m, unit)),
                ("Height difference", text_from_metres(result.height_difference_m, unit)),
            ],
            sentences=[f"{item.severity}: {item.sentence}" for item in view.findings],
            table=tests,
        ),
        ReportPart(title="Sets (measured - independent, or - mean where nothing independent was measured)", table=sets),
    ]


# --- job: chain and budget ---


def _chain(context: Context, job: JobNow, kit: KitNow, query: ReportQuery) -> list[ReportPart]:
    view = chain_page(context, job.id)
    links = [("Link", "State", "Meant", "Observed", "Why")]
    links += [(link.name, str(link.state), link.meant or "-", link.observed or "-", link.why) for link in view.links]
    open_said = [
        f"{item.finding.severity}: {item.finding.sentence}" + "".join(f" Answered by {said.who}: {said.words}." for said in item.answers)
        for item in view.findings
    ] or ["Nothing is contradicted. What is not checked is not thereby right."]
    return [
        ReportPart(title="Chain", values=[("Weakest link", view.weakest.words)], table=links),
        _budget(view.budget, job.length_unit),
        ReportPart(title=f"Findings ({len(view.findings)})", sentences=open_said),
    ]


def _said(metres: float | None, unit: str) -> str:
    return "cannot be said" if metres is None else text_from_metres(metres, unit)


def _budget(budget: BudgetShown, unit: str) -> ReportPart:
    terms = [("One sigma", "Horizontal", "Height", "Source")]
    terms += [(term.words, _said(term.horizontal_m, unit), _said(term.vertical_m, unit), term.source) for term in budget.terms]
    bars = (
        Bar("horizontal", tuple((term.words, term.share_horizontal) for term in budget.terms)),
        Bar("in height", tuple((term.words, term.share_vertical) for term in budget.terms)),
    )
    good = f"{_said(budget.horizontal_95_m, unit)} horizontally, {_said(budget.vertical_95_m, unit)} in height"
    return ReportPart(title="Error budget", values=[(f"A point {budget.where}, {budget.against}, 95 %", good)], table=terms, drawing=bars)


def _fit(context: Context, job: JobNow, kit: KitNow, query: ReportQuery) -> list[ReportPart]:
    return fit_report_of(context, job.id)


_Made = Callable[[Context, JobNow, KitNow, ReportQuery], list[ReportPart]]
_KINDS: dict[str, _Made] = {"day": _day, "base": _base, "check": _checks, "fit": _fit, "iso17123": _field_test, "job": _chain}
