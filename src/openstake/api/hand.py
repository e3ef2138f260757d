"""Routes of those who come in over the network: signing in and out, and the page on the program's own machine that lets them in."""

from __future__ import annotations

from flask import Response, after_this_request, g, request

from openstake.api.common import Api, Nothing, as_file
from openstake.api.doors import COOKIE, DEVICE_COOKIE, only_here
from openstake.workflow import hand
from openstake.workflow.context import Context

_COOKIE_S = 30 * 24 * 3600
_DEVICE_S = 400 * 24 * 3600


def hand_routes(api: Api, context: Context) -> None:
    """Add the routes."""
    _session_routes(api, context)
    _machine_routes(api, context)


def _session_routes(api: Api, context: Context) -> None:
    @api.get("/session", "hand")
    def session() -> hand.SessionView:
        """Say who this page is for."""
        return hand.session_view(context, g.visitor)

    @api.post("/session", "hand")
    def sign_in(json: hand.SignIn) -> hand.SessionView:
        """Sign a device in with the passphrase, under a name."""
        device = hand.device_of(request.user_agent.string)
        access, carried = context.access, request.cookies.get(DEVICE_COOKIE, "")
        visitor = access.sign_in(json.passphrase, json.who, device, request.remote_addr or "", carried, json.code)
        carries = "" if access.knows(carried) else access.remember_device()

        @after_this_request
        def with_cookie(response: Response) -> Response:
            # Only over TLS, only to this host, out of reach of scripts and of other sites' pages.
            response.set_cookie(COOKIE, visitor.token, max_age=_COOKIE_S, path="/", secure=True, httponly=True, samesite="Strict")
            if carries:
                response.set_cookie(DEVICE_COOKIE, carries, max_age=_DEVICE_S, path="/", secure=True, httponly=True, samesite="Strict")
            return response

        return hand.session_view(context, visitor)

    @api.post("/session/end", "hand")
    def sign_out() -> Nothing:
        """Sign this device out; its event streams end."""
        if not g.visitor.here:
            context.access.end(g.visitor.session_id)

        @after_this_request
        def without_cookie(response: Response) -> Response:
            response.delete_cookie(COOKIE, path="/", secure=True, httponly=True, samesite="Strict")
            return response

        return Nothing()


def _machine_routes(api: Api, context: Context) -> None:
    @api.get("/hand", "hand")
    def hand_view() -> hand.HandView:
        """Show how a phone comes in, and who is connected; on the program's own machine alone."""
        only_here()
        return hand.view(context)

    @api.post("/hand/passphrase", "hand")
    def set_passphrase(json: hand.SetPassphrase) -> hand.HandView:
        """Set the passphrase for phones; all devices are signed out."""
        only_here()
        return hand.set_passphrase(context, json)

    @api.post("/hand/end", "hand")
    def end_session(json: hand.EndSession) -> hand.HandView:
        """End the session of a device, or of all."""
        only_here()
        return hand.end(context, json)

    @api.get("/hand/root.crt", "hand", said=Response)
    def root_certificate() -> Response:
        """Return the root certificate that a phone may install."""
        return as_file(hand.root_certificate(context), "application/x-x509-ca-cert", "open-stake-root.crt")
