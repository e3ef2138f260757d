"""Routes of the Book page: what happened, and the points to take home."""

from __future__ import annotations

from flask import Response

from openstake.api.common import Api, as_file
from openstake.workflow import book
from openstake.workflow.context import Context, file_name
from openstake.workflow.job.jobs import one_job


def book_routes(api: Api, context: Context) -> None:
    """Add the routes."""

    @api.get("/jobs/<job_id>/book", "book")
    def book_view(job_id: str, query: book.BookQuery) -> book.BookView:
        """Show what happened, newest first, and whether the Book is whole."""
        return book.view(context, job_id, query)

    @api.get("/jobs/<job_id>/points.csv", "book")
    def points_csv(job_id: str) -> Response:
        """Return the points as CSV."""
        name = file_name(one_job(context, job_id).name)
        return as_file(book.points_csv(context, job_id), "text/csv", f"{name}-points.csv")
