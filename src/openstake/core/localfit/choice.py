"""What a crew chooses of a local fit: its models, what is expected of the local system, the school, and what each mark is used for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from openstake.core.describe import described, typed
from openstake.core.errors import InputError
from openstake.core.limits import FIT_TELLS_FROM
from openstake.core.localfit.expected import ExpectedFit
from openstake.core.localfit.pair import FEWEST, USES, HorizontalModel, VerticalModel
from openstake.core.units import counted

FitMethod = Literal["all", "grow"]
# What a mark of the page is used for: as a pair is, or left out because something is wrong with it.
MarkUse = Literal["hv", "h", "v", "check", "out"]
MARK_USES: tuple[MarkUse, ...] = (*USES, "out")
SCHOOLS: tuple[FitMethod, ...] = ("all", "grow")


@dataclass(frozen=True, kw_only=True)
class FitModels:
    """The models of a fit.  Scale and north are what is known of the local system: held where the model does not free them.

    `distances`: the local coordinates count distances on the ground or in the grid.  `projection`: the job's own, or a transverse
    Mercator laid at the middle of the site at its height.  `weights`: by the sigmas of marks and shots, or all alike.
    """

    projection: Literal["job", "site"] = described("GNSS coordinates in", "choice", options=("job", "site"), default="job")
    horizontal: HorizontalModel = described("Horizontal", "choice", options=("similarity", "rotation", "shift"), default="similarity")
    distances: Literal["ground", "grid"] = described("Local distances are", "choice", options=("ground", "grid"), default="ground")
    held_scale: Literal["expected", "one", "typed"] = described(
        "Scale held at", "choice", options=("expected", "one", "typed"), default="expected"
    )
    scale: float | None = described("Scale", "number", optional=True, least=0.9, most=1.1)
    north: Literal["eye", "true", "grid", "typed"] = described(
        "Local north is", "choice", options=("eye", "true", "grid", "typed"), default="eye"
    )
    north_deg: float | None = described("Turned by", "number", unit="°", optional=True, least=-360.0, most=360.0)
    vertical: VerticalModel = described("Vertical", "choice", options=("none", "constant", "plane"), default="constant")
    geoid: bool = described("Heights by the job's geoid", "flag", default=False)
    weights: Literal["sigmas", "alike"] = described("Weights", "choice", options=("sigmas", "alike"), default="sigmas")

    def scale_held(self, expected: ExpectedFit) -> float:
        """Return the scale that is held."""
        if self.held_scale == "typed":
            return self.scale or 1.0
        return expected.scale if self.held_scale == "expected" else 1.0


def checked_models(models: FitModels) -> FitModels:
    """Return models that can be used; InputError names the field that lacks."""
    if models.held_scale == "typed" and models.horizontal != "similarity" and models.scale is None:
        raise InputError("Type the scale that is held, or choose another.", field="scale")
    if models.horizontal == "shift" and models.north == "eye":
        raise InputError("A shift needs a known north: true, the grid's, or typed.", field="north")
    if models.north == "typed" and models.north_deg is None:
        raise InputError("Type by how many degrees the local north is turned (anticlockwise: +).", field="north_deg")
    return models


@dataclass(frozen=True, kw_only=True)
class ModelChoice:
    """One value of a field of `FitModels`: what it is called, and what it gives or asks for (empty where the name says all)."""

    field: str
    value: str
    title: str
    gives: str = ""


def _solved_by(model: str, then: str) -> str:
    return f"{counted(FEWEST[model], 'mark')} {'solves' if FEWEST[model] == 1 else 'solve'} it{then}"


# With scale free or held three marks cannot tell which one is wrong; nor can four heights on a plane.
MODEL_CHOICES = (
    ModelChoice(
        field="horizontal",
        value="similarity",
        title="Shift, rotation and scale",
        gives=_solved_by("similarity", f", 3 give residuals, {FIT_TELLS_FROM} tell which"),
    ),
    ModelChoice(
        field="horizontal",
        value="rotation",
        title="Shift and rotation, scale held",
        gives=_solved_by("rotation", f" with a residual, {FIT_TELLS_FROM} tell which"),
    ),
    ModelChoice(
        field="horizontal", value="shift", title="Shift alone, north and scale held", gives=_solved_by("shift", ", 2 give residuals")
    ),
    ModelChoice(field="vertical", value="constant", title="A constant", gives=_solved_by("constant", ", 2 give residuals")),
    ModelChoice(field="vertical", value="plane", title="A tilted plane", gives=_solved_by("plane", ", 5 tell which")),
    ModelChoice(field="vertical", value="none", title="No local heights"),
    ModelChoice(field="distances", value="ground", title="on the ground", gives="the scale to expect is 1 / combined factor"),
    ModelChoice(field="distances", value="grid", title="in the grid", gives="the scale to expect is 1"),
    ModelChoice(field="held_scale", value="expected", title="the expected scale"),
    ModelChoice(field="held_scale", value="one", title="one"),
    ModelChoice(field="held_scale", value="typed", title="a typed scale"),
    ModelChoice(field="north", value="eye", title="picked by eye, not known"),
    ModelChoice(field="north", value="true", title="true north"),
    ModelChoice(field="north", value="grid", title="the grid's north"),
    ModelChoice(field="north", value="typed", title="turned by a typed angle"),
    ModelChoice(field="weights", value="sigmas", title="by sigmas", gives="of the list and of the shots; then residuals are tested"),
    ModelChoice(field="weights", value="alike", title="all alike", gives="their sigma comes from the residuals"),
    ModelChoice(field="projection", value="job", title="the job's projection"),
    ModelChoice(
        field="projection", value="site", title="none: a plane laid at the site", gives="transverse Mercator at its middle and height"
    ),
)


@dataclass(frozen=True)
class SiteCentre:
    """Where the transverse Mercator of a site is laid: degrees and ellipsoidal metres."""

    latitude_deg: float
    longitude_deg: float
    height_m: float


@dataclass(frozen=True, kw_only=True)
class FitChoice:
    """A fit as chosen.  `uses` are by the line of each mark: a mark that is not in it follows the school."""

    models: FitModels = FitModels()
    school: FitMethod = "all"
    uses: Mapping[str, MarkUse] = field(default_factory=dict)
    site: SiteCentre | None = None

    def use_of(self, line_id: str) -> MarkUse:
        """Return what a mark is used for: what was chosen, else all of it, or in the school that grows a check first."""
        return self.uses.get(line_id, "hv" if self.school == "all" else "check")


def choice_of(document: Mapping[str, Any]) -> FitChoice:
    """Return a choice as it is stored."""
    site = document.get("site")
    uses = {str(key): value for key, value in document.get("uses", {}).items() if value in MARK_USES}
    return FitChoice(
        models=typed(FitModels, document["models"], None), school=document["school"], uses=uses, site=SiteCentre(**site) if site else None
    )


def without_component(use: MarkUse, component: str) -> MarkUse:
    """Return what a mark is used for once it is left out horizontally, or vertically."""
    left: dict[tuple[str, str], MarkUse] = {("hv", "horizontal"): "v", ("hv", "vertical"): "h"}
    return left.get((use, component), "out")
