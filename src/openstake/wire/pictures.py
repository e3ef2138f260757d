"""Photos: decoded whole before they are kept or served, and only as one of four picture types.

What an upload brings beside its pixels (places, devices, other files behind its end) does not come in: it is written anew, once.
Source of the formats: ISO/IEC 10918-1 (JPEG), ISO/IEC 15948 (PNG), RFC 9649 (WebP), GIF89a.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import FileError

if TYPE_CHECKING:
    from PIL.Image import Image

MOST_PIXELS = 64_000_000  # of all together: what telephones take; decoded it is 200 MB
_JPEG_QUALITY = 90


@dataclass(frozen=True)
class Kind:
    """A type of pictures: as a header says it, and the ending of its files."""

    media_type: str
    ending: str


KINDS = {
    "JPEG": Kind("image/jpeg", "jpg"),
    "PNG": Kind("image/png", "png"),
    "WEBP": Kind("image/webp", "webp"),
    "GIF": Kind("image/gif", "gif"),
}


def kind_at_sight(content: bytes, name: str) -> Kind:
    """Return the type of a picture that was decoded when it came in, by its head alone; FileError as for `kind_of`."""
    return _opened(content, name)[1]


def kind_of(content: bytes, name: str) -> Kind:
    """Return the type of a picture, decoded whole; FileError where it is none of the four, not whole, or too large."""
    return _decoded(content, name)[1]


def written_anew(content: bytes, name: str) -> tuple[bytes, Kind]:
    """Return the pixels of a picture, the right way up, as a picture of the same type without anything beside them.

    Of one that moves its first frame, as PNG.  FileError as for `kind_of`.
    """
    from PIL import ImageOps

    image, kind = _decoded(content, name)
    if kind == KINDS["GIF"]:
        image, kind = image.convert("RGBA"), KINDS["PNG"]
    try:
        turned = ImageOps.exif_transpose(image)
    except Exception:  # what stands beside the pixels is none of ours to read: they are kept as they lie
        turned = image
    # What the decoder keeps beside the pixels would be written again.
    turned.info = {"transparency": turned.info["transparency"]} if "transparency" in turned.info else {}
    out = io.BytesIO()
    options = {"quality": _JPEG_QUALITY} if kind.ending in ("jpg", "webp") else {}
    try:
        turned.save(out, format=_format_of(kind), exif=b"", **options)
    except (OSError, ValueError):
        raise _not_whole(name) from None
    return out.getvalue(), kind


def size_of(content: bytes, name: str) -> tuple[int, int]:
    """Return a picture's width and height in pixels; FileError as for `kind_of`."""
    image, _ = _opened(content, name)
    return image.width, image.height


def pixels_of(content: bytes, name: str) -> NDArray[np.uint8]:
    """Return a picture's pixels, shape (height, width, 3); FileError as for `kind_of`."""
    return np.asarray(_decoded(content, name)[0].convert("RGB"))


def webp_of(pixels: NDArray[np.uint8]) -> bytes:
    """Return pixels with their opacity, shape (height, width, 4), as a WebP picture."""
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(pixels, "RGBA").save(out, "WEBP", quality=70)
    return out.getvalue()


def _format_of(kind: Kind) -> str:
    return next(name for name, known in KINDS.items() if known == kind)


def _decoded(content: bytes, name: str) -> tuple[Image, Kind]:
    image, kind = _opened(content, name)
    try:
        image.load()
    except Exception:  # a decoder that meets a hostile file raises of many kinds
        raise _not_whole(name) from None
    return image, kind


def _opened(content: bytes, name: str) -> tuple[Image, Kind]:
    # It takes a tenth of a second to import, and most starts see no picture.
    from PIL import Image, UnidentifiedImageError

    called = name[:80] or "The file"
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = Image.open(io.BytesIO(content), formats=tuple(KINDS))
    except Image.DecompressionBombError:
        raise FileError(f"{called} says it has more pixels than any camera makes.") from None
    except UnidentifiedImageError:
        raise FileError(f"{called} is not a JPEG, PNG, WebP or GIF picture.") from None
    except Exception:
        raise _not_whole(name) from None
    if image.width * image.height > MOST_PIXELS:
        raise FileError(f"{called} says it has {image.width} x {image.height} pixels, more than any camera makes.")
    return image, KINDS["JPEG" if image.format == "MPO" else str(image.format)]


def _not_whole(name: str) -> FileError:
    return FileError(f"{name[:80] or 'The file'} is not whole. Take it again, or send it again.")
