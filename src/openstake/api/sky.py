"""Routes of the Sky page: the sky of a day, skylines, elements, expected against seen."""

from __future__ import annotations

from flask import Response, request

from openstake.api.common import Api, Nothing
from openstake.core.limits import MOST_ELEMENT_FILE_BYTES
from openstake.workflow.context import Context
from openstake.workflow.photos import PhotoQuery
from openstake.workflow.sky import elements, page, photos, seen, skylines


def sky_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _sky_routes(api, context)
    _elements_routes(api, context)
    _photo_routes(api, context)


def _sky_routes(api: Api, context: Context) -> None:
    @api.get("/jobs/<job_id>/sky", "sky")
    def sky_view(job_id: str, query: page.SkyQuery) -> page.SkyView:
        """Show what base and rover see over a day, and how good it is hour by hour."""
        return page.view(context, job_id, query)

    @api.get("/jobs/<job_id>/sky/seen", "sky")
    def sky_seen(job_id: str, query: seen.SeenQuery) -> seen.SkySeenView:
        """Show the sky that is expected now beside what is sent, heard and used, and the masks beside each other."""
        return seen.view(context, job_id, query)

    @api.post("/jobs/<job_id>/sky/compare", "sky")
    def compare_sky(job_id: str, json: seen.CompareSky) -> seen.SkySeenView:
        """Hold the expected sky against what is seen, and keep what came of it."""
        return seen.compare(context, job_id, json)

    @api.post("/jobs/<job_id>/sky/skyline", "sky")
    def draw_skyline(job_id: str, json: skylines.DrawSkyline) -> Nothing:
        """Keep the skyline of a mark in place of the one before."""
        skylines.draw_skyline(context, job_id, json)
        return Nothing()

    @api.post("/jobs/<job_id>/sky/skyline/undo", "sky")
    def undo_skyline(job_id: str, json: skylines.UndoSkyline) -> Nothing:
        """Put the skyline that stood before back."""
        skylines.undo_skyline(context, job_id, json)
        return Nothing()


def _elements_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/sky/elements", "sky")
    def load_elements(job_id: str, query: elements.ElementsQuery) -> elements.ElementsLoaded:
        """Take a file of satellites' elements into the job, sent as it is: RINEX navigation, SP3, TLE or OMM."""
        request.max_content_length = MOST_ELEMENT_FILE_BYTES + 1
        return elements.load_elements(context, job_id, query.name, request.get_data())

    @api.delete("/jobs/<job_id>/sky/elements/<file_id>", "sky")
    def take_out_elements(job_id: str, file_id: str) -> Nothing:
        """Use a file of elements no more."""
        elements.take_out_elements(context, job_id, file_id)
        return Nothing()

    @api.post("/jobs/<job_id>/sky/kp", "sky")
    def note_kp(job_id: str, json: elements.KpTyped) -> elements.KpSaid:
        """Write the planetary index Kp into the Book, with what it means."""
        return elements.note_kp(context, job_id, json)


def _photo_routes(api: Api, context: Context) -> None:
    @api.post("/jobs/<job_id>/sky/photos/<mark_id>", "sky")
    def add_sky_photo(job_id: str, mark_id: str, query: PhotoQuery) -> photos.SkyPhoto:
        """Attach a photo of the sky over a mark, sent as it is (application/octet-stream)."""
        return photos.add_photo(context, job_id, mark_id, query.name, request.get_data())

    @api.post("/jobs/<job_id>/sky/aim", "sky")
    def aim_photo(job_id: str, json: photos.AimRequest) -> photos.AimFound:
        """Say where a photo looks, out of two directions and the horizon in it."""
        return photos.aim(context, job_id, json)

    @api.get("/jobs/<job_id>/sky/under", "sky")
    def sky_under(job_id: str, query: photos.UnderQuery) -> Response:
        """Return a photo as it lies under the panorama."""
        return Response(photos.under(context, job_id, query), mimetype="image/webp")
