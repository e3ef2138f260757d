/** The site plan on a plain metric plane: marks, points, the base and its baselines; pan, zoom, pick. */
import Feature from "ol/Feature";
import OlMap from "ol/Map";
import View from "ol/View";
import { boundingExtent, buffer, getHeight, getWidth } from "ol/extent";
import LineString from "ol/geom/LineString";
import Point from "ol/geom/Point";
import { defaults as interactions } from "ol/interaction/defaults";
import VectorLayer from "ol/layer/Vector";
import VectorImageLayer from "ol/layer/VectorImage";
import "ol/ol.css";
import Projection from "ol/proj/Projection";
import VectorSource from "ol/source/Vector";
import { Fill, RegularShape, Stroke, Style, Text } from "ol/style";
import { Maximize, Minus, Plus } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { placeNames } from "../lib/names";

export interface PlanMarks {
  id: string[];
  name: string[];
  east_m: number[];
  north_m: number[];
  check_only: boolean[];
}

export interface PlanProps {
  marks: PlanMarks;
  points: { id: string; name: string; east_m: number; north_m: number; from_base: boolean }[];
  base: { east_m: number; north_m: number } | null;
  convergenceDeg: number | null;
  /** Where the plan goes to and what it rings; null for all of it. */
  picked: { name: string; east_m: number; north_m: number } | null;
  onPick: (kind: "mark" | "point", id: string) => void;
  /** A length in words, for the scale bar, and how many metres its unit has. */
  unit: { metres: number; sign: string };
}

const NAME_FONT = "600 15px 'Overpass Variable', sans-serif";
/** Above this the symbols are small, so that they do not hide each other. */
const MANY_MARKS = 1500;
const PICK_PIXELS = 24;
/** No projection of the plan's own: east and north are metres as they are. */
const PLANE = new Projection({ code: "openstake:plane", units: "m" });

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}

/** The symbols in the colours of the theme: a control mark is a triangle, a check mark a square, a point a cross. */
function symbols(many = false) {
  const edge = new Stroke({ color: colour("page"), width: many ? 0.5 : 1.5 });
  const size = many ? 0.45 : 1;
  const shape = (points: number, radius: number, fill: string, more = {}) =>
    new Style({ image: new RegularShape({ points, radius: radius * size, fill: new Fill({ color: fill }), stroke: edge, ...more }) });
  return {
    control: shape(3, 9, colour("ink")),
    check: shape(4, 8, colour("checked"), { angle: Math.PI / 4 }),
    point: new Style({
      image: new RegularShape({ points: 4, radius: 7, radius2: 0, angle: Math.PI / 4, stroke: new Stroke({ color: colour("ink"), width: 2 }) }),
    }),
    base: shape(5, 14 / size, colour("lath"), { radius2: 6, stroke: new Stroke({ color: colour("ink"), width: 2 }) }),
    line: new Style({ stroke: new Stroke({ color: colour("grain"), width: 2, lineDash: [8, 5] }) }),
    ring: new Style({ image: new RegularShape({ points: 32, radius: 18, stroke: new Stroke({ color: colour("flag"), width: 3 }) }) }),
    name: (text: string, dx: number, dy: number) =>
      new Style({
        text: new Text({
          text,
          font: NAME_FONT,
          offsetX: dx,
          offsetY: dy,
          textAlign: "left",
          fill: new Fill({ color: colour("ink") }),
          stroke: new Stroke({ color: colour("page"), width: 4 }),
        }),
      }),
  };
}

const ruler = document.createElement("canvas").getContext("2d");
function measure(text: string): number {
  if (!ruler) return 9 * text.length;
  ruler.font = NAME_FONT;
  return ruler.measureText(text).width;
}

interface Plan {
  map: OlMap;
  marks: VectorSource<Feature<Point>>;
  points: VectorSource<Feature<Point>>;
  others: VectorSource;
  names: VectorSource;
  ring: VectorSource;
}

function makePlan(target: HTMLElement): Plan {
  const [marks, points] = [new VectorSource<Feature<Point>>(), new VectorSource<Feature<Point>>()];
  const [others, names, ring] = [new VectorSource(), new VectorSource(), new VectorSource()];
  const map = new OlMap({
    target,
    controls: [],
    interactions: interactions({ altShiftDragRotate: false, pinchRotate: false }),
    view: new View({ projection: PLANE, center: [0, 0], resolution: 1, minResolution: 0.002, maxResolution: 2000, enableRotation: false }),
    layers: [
      new VectorLayer({ source: others }),
      // Drawn as one picture and moved as one while panning: tens of thousands of marks stay smooth.
      new VectorImageLayer({ source: marks, imageRatio: 1.5 }),
      new VectorImageLayer({ source: points, imageRatio: 1.5 }),
      new VectorLayer({ source: ring }),
      new VectorLayer({ source: names }),
    ],
  });
  return { map, marks, points, others, names, ring };
}

function fill(plan: Plan, props: PlanProps) {
  const { marks } = props;
  const look = symbols(marks.id.length > MANY_MARKS);
  plan.marks.clear(true);
  plan.marks.addFeatures(
    marks.id.map((id, at) => {
      const feature = new Feature(new Point([marks.east_m[at]!, marks.north_m[at]!]));
      feature.setId(id);
      feature.set("name", marks.name[at], true);
      feature.setStyle(marks.check_only[at] ? look.check : look.control);
      return feature;
    }),
  );
  plan.others.clear(true);
  plan.points.clear(true);
  for (const point of props.points) {
    const place = [point.east_m, point.north_m];
    if (props.base && point.from_base) addStyled(plan.others, new LineString([[props.base.east_m, props.base.north_m], place]), look.line);
    addStyled(plan.points, new Point(place), look.point).setId(point.id);
  }
  if (props.base) addStyled(plan.others, new Point([props.base.east_m, props.base.north_m]), look.base);
}

function addStyled<Shape extends Point | LineString>(source: VectorSource<Feature<Shape>> | VectorSource, geometry: Shape, style: Style) {
  const feature = new Feature(geometry);
  feature.setStyle(style);
  (source as VectorSource).addFeature(feature);
  return feature;
}

/** Names of what is in sight, wherever there is room for one beside its symbol. */
function nameWhatIsSeen(plan: Plan, measure: (text: string) => number) {
  const view = plan.map.getView();
  const [west, south, east, north] = view.calculateExtent() as [number, number, number, number];
  const scale = 1 / (view.getResolution() ?? 1);
  const seen = plan.marks.getFeaturesInExtent([west, south, east, north]);
  const marks = seen.map((mark) => {
    const [x, y] = mark.getGeometry()!.getCoordinates() as [number, number];
    return { x: (x - west) * scale, y: (north - y) * scale, width: measure(String(mark.get("name"))) };
  });
  const look = symbols();
  plan.names.clear(true);
  for (const { at, dx, dy } of placeNames(marks, { width: (east - west) * scale, height: (north - south) * scale }))
    addStyled(plan.names, seen[at]!.getGeometry()!, look.name(String(seen[at]!.get("name")), dx, dy));
}

function showAll(plan: Plan, target: HTMLElement) {
  const places = plan.marks.getFeatures().map((mark) => mark.getGeometry()!.getCoordinates());
  places.push(...plan.points.getFeatures().map((point) => point.getGeometry()!.getCoordinates()));
  if (!places.length) return;
  const extent = boundingExtent(places);
  const least = Math.max(getWidth(extent), getHeight(extent)) < 1 ? 25 : 0;
  plan.map.getView().fit(buffer(extent, least), { padding: [50, target.clientWidth > 600 ? 180 : 70, 70, 50], size: plan.map.getSize() ?? [800, 500] });
}

/** Pick the mark or point that is nearest to a press, within the reach of a thumb. */
function pickNearest(made: Plan, onPick: PlanProps["onPick"]) {
  made.map.on("singleclick", (event) => {
    const away = (feature: Feature<Point>) => {
      const pixel = made.map.getPixelFromCoordinate(feature.getGeometry()!.getCoordinates());
      return Math.hypot(pixel[0]! - event.pixel[0]!, pixel[1]! - event.pixel[1]!);
    };
    const found = ([["mark", made.marks], ["point", made.points]] as const)
      .flatMap(([kind, source]) => {
        const feature = source.getClosestFeatureToCoordinate(event.coordinate);
        return feature && away(feature) <= PICK_PIXELS ? [{ kind, feature }] : [];
      })
      .sort((a, b) => away(a.feature) - away(b.feature));
    if (found[0]) onPick(found[0].kind, String(found[0].feature.getId()));
  });
}

/** Ring what is picked, and bring it into the picture. */
function ringAround(made: Plan, picked: PlanProps["picked"]) {
  made.ring.clear();
  if (!picked) return;
  const place = [picked.east_m, picked.north_m];
  addStyled(made.ring, new Point(place), symbols().ring);
  const view = made.map.getView();
  const extent = view.calculateExtent();
  const inside = place[0]! > extent[0]! && place[0]! < extent[2]! && place[1]! > extent[1]! && place[1]! < extent[3]!;
  if (!inside) view.setCenter(place);
}

export default function SitePlan(props: PlanProps) {
  const { marks, points, base, picked, onPick } = props;
  const target = useRef<HTMLDivElement>(null);
  const plan = useRef<Plan | null>(null);
  const pick = useRef(onPick);
  const [metresPerPixel, setMetresPerPixel] = useState(1);
  useEffect(() => {
    pick.current = onPick;
  }, [onPick]);

  useEffect(() => {
    const made = makePlan(target.current!);
    plan.current = made;
    const settle = () => {
      setMetresPerPixel(made.map.getView().getResolution() ?? 1);
      nameWhatIsSeen(made, measure);
    };
    made.map.on("moveend", settle);
    // The first frame does not count as a move.
    made.map.once("postrender", settle);
    pickNearest(made, (kind, id) => pick.current(kind, id));
    return () => {
      made.map.setTarget(undefined);
      plan.current = null;
    };
  }, []);

  useEffect(() => {
    const made = plan.current!;
    const draw = () => {
      fill(made, { marks, points, base } as PlanProps);
      nameWhatIsSeen(made, measure);
    };
    const first = made.marks.isEmpty();
    draw();
    if (first) showAll(made, target.current!);
    const watcher = new MutationObserver(draw);
    watcher.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
    return () => watcher.disconnect();
  }, [marks, points, base]);

  useEffect(() => {
    ringAround(plan.current!, picked);
  }, [picked]);

  const zoom = (by: number) => plan.current?.map.getView().animate({ zoom: (plan.current.map.getView().getZoom() ?? 0) + by, duration: 150 });
  return (
    <div className="relative h-full min-h-0 w-full rounded hand:h-[60dvh] hand:min-h-72 border-2 border-line bg-page" data-testid="plan">
      <div ref={target} tabIndex={0} aria-label="Site plan" role="application" className="h-full w-full" />
      <North convergenceDeg={props.convergenceDeg} />
      <ScaleBar metresPerPixel={metresPerPixel} unit={props.unit} />
      <div className="absolute right-3 bottom-3 flex flex-col gap-2">
        <PlanButton label="Closer" onClick={() => zoom(1)} icon={<Plus aria-hidden />} />
        <PlanButton label="Farther" onClick={() => zoom(-1)} icon={<Minus aria-hidden />} />
        <PlanButton label="All of it" onClick={() => plan.current && showAll(plan.current, target.current!)} icon={<Maximize aria-hidden />} />
      </div>
    </div>
  );
}

function PlanButton({ label, onClick, icon }: { label: string; onClick: () => void; icon: React.ReactNode }) {
  return (
    <button type="button" aria-label={label} title={label} onClick={onClick} className="flex size-12 items-center justify-center rounded border-2 border-line bg-page">
      {icon}
    </button>
  );
}

/** Grid north is up; true north is the thin line beside it. */
function North({ convergenceDeg }: { convergenceDeg: number | null }) {
  const off = convergenceDeg === null ? null : Math.abs(convergenceDeg).toFixed(2);
  return (
    <figure className="pointer-events-none absolute top-3 right-3 flex w-28 small:left-3 flex-col items-center rounded bg-page/80 p-1">
      <svg viewBox="0 0 60 74" className="h-20" aria-hidden="true">
        <path d="M30 6 L38 30 L30 24 L22 30 Z" fill="var(--ink)" />
        <path d="M30 24 V68" stroke="var(--ink)" strokeWidth="3" />
        {convergenceDeg !== null && (
          <path d="M30 68 V4" stroke="var(--grain)" strokeWidth="2" transform={`rotate(${-convergenceDeg} 30 68)`} />
        )}
      </svg>
      <figcaption className="text-center text-sm leading-4">
        grid north
        {off !== null && (
          <span className="block text-faded">
            true north {off}° {convergenceDeg! >= 0 ? "west" : "east"}
          </span>
        )}
      </figcaption>
    </figure>
  );
}

/** A round length, as long as fits 160 pixels. */
function ScaleBar({ metresPerPixel, unit }: { metresPerPixel: number; unit: PlanProps["unit"] }) {
  const most = (160 * metresPerPixel) / unit.metres;
  const power = 10 ** Math.floor(Math.log10(most));
  const round = [5, 2, 1].map((step) => step * power).find((step) => step <= most) ?? power;
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 rounded bg-page/80 px-2 py-1 text-base font-semibold" data-testid="scale">
      <div className="h-3 border-x-2 border-b-4 border-ink" style={{ width: `${(round * unit.metres) / metresPerPixel}px` }} />
      {Number(round.toPrecision(3))} {unit.sign}
    </div>
  );
}
