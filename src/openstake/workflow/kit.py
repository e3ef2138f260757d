"""The demo's kit: one invented antenna with the features people measure to, and the ways to measure."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.antenna import arp_height_m
from openstake.core.errors import InputError
from openstake.core.units import metres_from_text


@dataclass(frozen=True)
class Feature:
    """A place on the antenna that the tape goes to: `feature_to_arp_m` is how far the ARP lies above it."""

    name: str
    label: str
    method: str
    rim_radius_m: float
    feature_to_arp_m: float
    hint: str


BASE_FEATURES = (
    Feature("bottom", "Bottom of mount (ARP), straight up", "vertical", 0.0, 0.0, "The reading is the ARP height itself."),
    Feature("rim", "Rim of the ground plate, slant", "slant", 0.095, -0.038, "Tape from the mark to the plate's edge."),
    Feature("lug", "Measuring lug under the housing, straight up", "vertical", 0.0, -0.025, "The ARP lies 25 mm below the lug."),
)  # fmt: skip
ROVER_FEATURES = (
    Feature("rod", "Fixed 2.000 m rod", "rod", 0.0, 0.0, "The rod's tip to the bottom of mount."),
    Feature("pole", "Telescopic pole, read at its clamp", "vertical", 0.0, 0.0, "The clamp's scale gives the bottom of mount."),
)  # fmt: skip
ROVER_ROD_TEXT = "2.000 m"
BASE_READING_SIGMA_M = 0.0015  # tape over a mark, set-up included (common practice)
ROVER_HEIGHT_SIGMA_M = 0.001


@dataclass(frozen=True)
class Height:
    """A height typed and read."""

    text: str
    reading_m: float
    feature: Feature
    arp_height_m: float


def in_a_sentence(label: str) -> str:
    """Return a feature's label as it stands in the middle of a sentence."""
    return label[:1].lower() + label[1:]


def read_height(text: str, feature_name: str, subject: str, unit: str) -> Height:
    """Return the ARP height of what was typed; a sentence where it cannot be read or cannot be."""
    features = BASE_FEATURES if subject == "base" else ROVER_FEATURES
    feature = next((item for item in features if item.name == feature_name), None)
    if feature is None:
        raise InputError("Choose the feature that the height was measured to.", field="feature")
    try:
        reading = metres_from_text(text, unit)
    except InputError as error:
        error.field = "reading"
        raise
    height = arp_height_m(reading, feature.method, feature.rim_radius_m, feature.feature_to_arp_m)
    return Height(text.strip(), reading, feature, height)
