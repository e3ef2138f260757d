"""Pictures made for tests."""

import io

import numpy as np
from PIL import Image


def picture(form="PNG", side=16, seed=25, **options):
    """Return a picture of noise."""
    pixels = np.random.default_rng(seed).integers(0, 256, (side, side, 3), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, form, **options)
    return out.getvalue()


def pixels_of(content):
    """Return the pixels of a picture as they are seen."""
    return np.asarray(Image.open(io.BytesIO(content)).convert("RGB"))
