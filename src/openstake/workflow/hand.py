"""The phone or tablet at the pole: where it finds the program, how it is let in, and who is connected."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import segno

from openstake.core.errors import InputError, NotFoundError
from openstake.core.limits import ShortText
from openstake.live.clock import HOST_CLOCK
from openstake.workflow.access import Access, Device, Visitor
from openstake.workflow.context import Context

NOT_ON_THE_NETWORK = (
    "The program answers on this machine only. Start it with --lan, and a phone or a tablet on the same network can open it."
)
WRONG_ONES = "Somebody typed wrong passphrases, and new phones must wait. With this code, typed as well, a phone of the crew need not."


@dataclass(frozen=True)
class SignIn:
    """The passphrase, and the initials or the name that what is recorded is written under; `code` of the page Phones in a wait."""

    passphrase: ShortText
    who: ShortText
    code: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class SessionView:
    """Who this page is for: `here` is the program's own machine; `csrf` goes with everything that writes."""

    here: bool
    who: str
    csrf: str
    now_s: float


@dataclass(frozen=True)
class SetPassphrase:
    """A passphrase for phones, typed twice, and a hint that reminds of it."""

    passphrase: ShortText
    again: ShortText
    hint: ShortText = ""


@dataclass(frozen=True)
class EndSession:
    """The session to end; empty: all of them."""

    session_id: ShortText = ""


@dataclass(frozen=True, kw_only=True)
class Connected:
    """A device that is signed in."""

    session_id: str
    who: str
    device: Device
    address: str
    since_s: float
    seen_s: float
    streams: int


@dataclass(frozen=True)
class WayIn:
    """An address of this machine, and its QR code as a picture (an SVG in a data URI)."""

    url: str
    qr_picture: str


@dataclass(frozen=True, kw_only=True)
class HandView:
    """How a phone comes in.  `why_not` says what has to be done first; `fingerprint` is the root's SHA-256, where it is made here.

    `code` is what a new phone types where wrong passphrases of others make it wait, `code_words` why; empty where none must.
    """

    why_not: str
    ways_in: list[WayIn]
    has_passphrase: bool
    hint: str
    fingerprint: str
    own_certificate: bool
    connected: list[Connected]
    code: str
    code_words: str


def session_view(context: Context, visitor: Visitor) -> SessionView:
    """Say who a page is for."""
    return SessionView(here=visitor.here, who=visitor.who, csrf=visitor.csrf, now_s=HOST_CLOCK.now())


def view(context: Context) -> HandView:
    """Return how a phone comes in, and who is connected."""
    access = context.access
    door, kept = access.door, access.kept
    if door is None:
        why_not = NOT_ON_THE_NETWORK
    elif not door.names:
        why_not = "This machine has no address on a network. Join the crew's Wi-Fi, or open one of its own."
    else:
        why_not = "" if kept.passphrase else "Set a passphrase first: without one nobody is let in."
    code = access.code_in_a_wait()
    return HandView(
        why_not=why_not,
        ways_in=[_way_in(name, door.port) for name in door.names if not name.startswith("*.")] if door else [],
        has_passphrase=kept.passphrase is not None,
        hint=kept.hint,
        fingerprint=door.fingerprint if door else "",
        own_certificate=door.own_certificate if door else False,
        connected=_connected(context, access),
        code=code,
        code_words=WRONG_ONES if code else "",
    )


def set_passphrase(context: Context, request: SetPassphrase) -> HandView:
    """Take a passphrase; all devices are signed out."""
    if request.passphrase != request.again:
        raise InputError("The two do not match. Type the passphrase again.", field="again")
    context.access.set_passphrase(request.passphrase, request.hint)
    return view(context)


def end(context: Context, request: EndSession) -> HandView:
    """End the session of a device, or all."""
    if request.session_id:
        context.access.end(request.session_id)
    else:
        context.access.end_all()
    return view(context)


def root_certificate(context: Context) -> bytes:
    """Return the root that a phone may install; NotFoundError where a certificate of one's own is served."""
    door = context.access.door
    if door is None or door.root_pem is None:
        raise NotFoundError("There is no certificate to install: the program does not make its own here.")
    return door.root_pem


def device_of(user_agent: str) -> Device:
    """Say what kind of device a browser runs on, as far as it tells."""
    words = user_agent.lower()
    if "ipad" in words or "tablet" in words or ("android" in words and "mobile" not in words):
        return "tablet"
    return "phone" if "mobile" in words else "computer"


def _connected(context: Context, access: Access) -> list[Connected]:
    return [
        Connected(
            session_id=item.id,
            who=item.who,
            device=_known_device(item.device),
            address=item.address,
            since_s=item.since_s,
            seen_s=access.seen_s(item.id),
            streams=context.hub.streams_of(item.id),
        )
        for item in access.kept.sessions
    ]


def _known_device(said: str) -> Device:
    """Return a kept kind of device."""
    known: dict[str, Device] = {"phone": "phone", "tablet": "tablet"}
    return known.get(said, "computer")


@cache
def _way_in(name: str, port: int) -> WayIn:
    host = f"[{name}]" if ":" in name else name
    url = f"https://{host}:{port}/"
    return WayIn(url, segno.make(url, error="m").svg_data_uri(border=4, dark="#000", light="#fff", omitsize=True))
