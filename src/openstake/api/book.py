"""Routes of the Book page: what happened, what the crew adds, days and their sign-off, and the points to take home."""

from __future__ import annotations

from flask import Response, request

from openstake.api.common import Api, Nothing, as_file
from openstake.workflow import packages, reports
from openstake.workflow.book import days, notes, out, page, settle
from openstake.workflow.context import Context, file_name
from openstake.workflow.job.jobs import one_job
from openstake.workflow.photos import PhotoQuery
from openstake.workflow.work import WorkView


def book_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _line_routes(api, context)
    _note_routes(api, context)
    _day_routes(api, context)

    @api.get("/jobs/<job_id>/reports", "book")
    def reports_view(job_id: str) -> reports.ReportsView:
        """Say which reports there are."""
        return reports.offered(context, job_id)

    @api.get("/jobs/<job_id>/reports/<kind>.pdf", "book")
    def report(job_id: str, kind: str, query: reports.ReportQuery) -> Response:
        """Return a report as PDF, shown in the browser."""
        content, media_type, name = reports.pdf(context, job_id, kind, query)
        return Response(content, mimetype=media_type, headers={"Content-Disposition": f'inline; filename="{name}"'})

    @api.get("/jobs/<job_id>/take-home", "book")
    def take_home_view(job_id: str) -> out.TakeHomeView:
        """Say what can be taken home, and how."""
        return out.view(context, job_id)

    @api.get("/jobs/<job_id>/doubtful-points", "book")
    def doubtful_points(job_id: str) -> out.DoubtfulPoints:
        """Say which points something speaks against: not fixed, taken out, one name at two places."""
        return out.doubtful_points(context, job_id)

    @api.get("/jobs/<job_id>/take-home/<kind>", "book")
    def take_home(job_id: str, kind: str, query: out.TakeHome) -> Response:
        """Return the points as CSV, GeoJSON, KML, DXF or LandXML, or the vectors with their covariances."""
        return as_file(*out.take_home(context, job_id, kind, query))

    @api.post("/jobs/<job_id>/take-home/<kind>", "book")
    def begin_take_home(job_id: str, kind: str, json: out.TakeHome) -> WorkView:
        """Begin to make such a file, with progress; it is fetched when it is done."""
        return out.begin(context, job_id, kind, json).view()

    @api.post("/jobs/<job_id>/reports/<kind>", "book")
    def begin_report(job_id: str, kind: str, json: reports.ReportQuery) -> WorkView:
        """Begin to make a report, with progress; it is fetched when it is done."""
        return reports.begin(context, job_id, kind, json).view()

    @api.post("/jobs/<job_id>/packages", "book")
    def begin_package(job_id: str) -> WorkView:
        """Begin to write the job as a package: rows, Book, raw streams and photos."""
        return packages.begin_package(context, job_id).view()

    @api.get("/jobs/<job_id>/points.csv", "book")
    def points_csv(job_id: str) -> Response:
        """Return the points as CSV with the usual columns."""
        return as_file(*out.take_home(context, job_id, "csv", out.TakeHome()))


def _line_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/book", "book")
    def book_view(job_id: str, query: page.BookQuery) -> page.BookView:
        """Show what happened, newest first, and whether the Book is whole."""
        return page.view(context, job_id, query)

    @api.get("/jobs/<job_id>/book/lines/<line_id>", "book")
    def book_line(job_id: str, line_id: str) -> page.LineSeen:
        """Show a line in full, and what it replaced or was replaced by."""
        return page.line(context, job_id, line_id)

    @api.get("/jobs/<job_id>/crews", "book")
    def crews(job_id: str) -> settle.CrewsView:
        """Show what two crews replaced apart from each other, and nobody has settled."""
        return settle.view(context, job_id)

    @api.post("/jobs/<job_id>/crews/settle", "book")
    def settle_crews(job_id: str, json: settle.SettleRequest) -> settle.CrewsView:
        """Say which of two crews' values holds; it is written anew in place of both."""
        return settle.settle(context, job_id, json)


def _note_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/book/notes", "book")
    def add_note(job_id: str, json: notes.NoteRequest) -> Nothing:
        """Write a note."""
        notes.note(context, job_id, json)
        return Nothing()

    @api.post("/jobs/<job_id>/book/weather", "book")
    def add_weather(job_id: str, json: notes.WeatherRequest) -> Nothing:
        """Write the weather."""
        notes.weather(context, job_id, json)
        return Nothing()

    @api.post("/jobs/<job_id>/book/people", "book")
    def add_people(job_id: str, json: notes.PeopleRequest) -> Nothing:
        """Write who is on site."""
        notes.people(context, job_id, json)
        return Nothing()

    @api.post("/jobs/<job_id>/book/photo", "book")
    def add_book_photo(job_id: str, query: PhotoQuery) -> Nothing:
        """Put a photo into the Book, sent as it is (application/octet-stream)."""
        notes.photo(context, job_id, query.name, request.get_data())
        return Nothing()


def _day_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/book/days", "book")
    def book_days(job_id: str) -> days.Days:
        """List the days, with who signed each off."""
        return days.days(context, job_id)

    @api.get("/jobs/<job_id>/book/days/<day>", "book")
    def day_sheet(job_id: str, day: str) -> days.DaySheet:
        """Show the sheet of a day."""
        return days.sheet(context, job_id, day)

    @api.post("/jobs/<job_id>/book/sign", "book")
    def sign_day(job_id: str, json: days.SignRequest) -> days.Days:
        """Sign a day off: a copy is frozen, its hash goes into the Book."""
        return days.sign(context, job_id, json)

    @api.get("/jobs/<job_id>/book/signed/<signed_id>", "book")
    def signed_copy(job_id: str, signed_id: str) -> Response:
        """Return the frozen copy of a signed day, JSON."""
        name = file_name(one_job(context, job_id).name)
        return as_file(days.frozen(context, job_id, signed_id), "application/json", f"{name}-signed-day.json")
