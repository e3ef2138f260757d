"""What all routes share: the answers they document, and files that are sent in JSON or sent back."""

from __future__ import annotations

import base64
import binascii

from flask import Response
from pydantic import BaseModel
from spectree import Response as Answers

from openstake.api.schemas import Problem
from openstake.core.errors import InputError


def answers(model: type[BaseModel]) -> Answers:
    """Return the documented answers of a route: its model, or a problem."""
    return Answers(HTTP_200=model, HTTP_404=Problem, HTTP_409=Problem, HTTP_422=Problem, HTTP_502=Problem)


def content_of(content_base64: str) -> bytes:
    """Return a file that came as base64."""
    try:
        return base64.b64decode(content_base64, validate=True)
    except (binascii.Error, ValueError):
        raise InputError("The file did not arrive whole. Choose it again.", field="content_base64") from None


def as_file(content: bytes | str, media_type: str, name: str) -> Response:
    """Return a file to be saved."""
    return Response(content, mimetype=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
