import { useEffect, useLayoutEffect, useRef, useState, type PointerEvent, type RefObject } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { Schemas } from "../api/client";

type History = Schemas["History"];

/** What is read off at one moment. */
export interface ReadOff {
  at: number;
  age: number | null;
  horizontal: number | null;
  vertical: number | null;
  satellites: number | null;
}

/** The kinds of solution: colour and height say the same. */
export const BAND: Record<Schemas["Run"]["status"], { colour: string; height: number; word: string }> = {
  fixed: { colour: "--checked", height: 1, word: "fixed" },
  float: { colour: "--grain", height: 0.72, word: "float" },
  dgps: { colour: "--lath", height: 0.55, word: "DGPS" },
  single: { colour: "--lath", height: 0.42, word: "single" },
  other: { colour: "--lath", height: 0.3, word: "other" },
  none: { colour: "--flag", height: 0.18, word: "no position" },
};

const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
/** Room for the names of the panels, which stand left of them. */
const LEFT = 96;
const SHORTEST_S = 10;
const HEIGHTS = [44, 66, 82, 86] as const;
const PANELS = [
  { name: "fix", unit: "", top: 0 },
  { name: "age", unit: "s", top: HEIGHTS[0] },
  { name: "95 %", unit: "length", top: HEIGHTS[0] + HEIGHTS[1] },
  { name: "satellites", unit: "", top: HEIGHTS[0] + HEIGHTS[1] + HEIGHTS[2] },
];

/**
 * The fix history on one time axis: solution, age, claimed 95 %, satellites, events. A finger or the mouse reads off; two
 * fingers, the wheel or a drag choose the stretch of time.
 */
export function TimeAxis(props: {
  history: History;
  timeZone: string;
  /** Metres of a unit of length, and its sign. */
  unit: { metres: number; sign: string };
  onStretch: (from: number, to: number) => void;
  onRead: (read: ReadOff | null) => void;
}) {
  const { history } = props;
  const box = useRef<HTMLDivElement>(null);
  const plots = useRef<uPlot[]>([]);
  const latest = useRef(props);
  const [width, setWidth] = useState(0);

  useLayoutEffect(() => {
    latest.current = props;
  });
  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  // A plot is made once for a width; what it shows is put in below.
  useEffect(() => {
    if (!box.current || !width) return;
    plots.current = panels(box.current, width, latest);
    show(plots.current, latest.current.history, latest.current.unit.metres);
    return () => {
      for (const plot of plots.current) plot.destroy();
      plots.current = [];
    };
  }, [width, props.timeZone, props.unit.sign]);

  useEffect(() => show(plots.current, history, props.unit.metres), [history, props.unit.metres]);

  const fingers = useFingers(box, latest);
  return (
    <div className="relative">
      {PANELS.map((panel) => (
        <p key={panel.name} className="absolute left-0 w-16 text-base leading-4" style={{ top: panel.top + 6 }}>
          {panel.name}
          {panel.unit && <span className="block text-sm text-faded">{panel.unit === "length" ? props.unit.sign : panel.unit}</span>}
        </p>
      ))}
      <div ref={box} className="touch-pan-y select-none" role="img" aria-label={`Fix history: ${history.words}`} {...fingers} />
    </div>
  );
}

function show(plots: uPlot[], history: History, metres: number) {
  const scaled = (values: (number | null)[]) => values.map((value) => (value === null ? null : value / metres));
  const series = [
    [history.host_s.map(() => null)],
    [history.age_s],
    [scaled(history.horizontal_95_m), scaled(history.vertical_95_m)],
    [history.satellites],
  ];
  const x = history.host_s.length ? history.host_s : [history.from_s, history.to_s];
  plots.forEach((plot, n) => {
    const rows = history.host_s.length ? series[n]! : series[n]!.map(() => [null, null]);
    plot.batch(() => {
      plot.setData([x, ...rows] as uPlot.AlignedData, false);
      plot.setScale("x", { min: history.from_s, max: history.to_s });
    });
  });
}

type Latest = RefObject<Parameters<typeof TimeAxis>[0]>;

/** The axes of a panel: times under the last one, values where it has lines. */
function axesOf(withTimes: boolean, withValues: boolean): uPlot.Axis[] {
  const ink = colour("--ink");
  return [
    {
      show: withTimes,
      stroke: ink,
      size: 30,
      font: "14px Overpass Variable, sans-serif",
      grid: { stroke: colour("--line"), width: 1 },
      ticks: { show: false },
      values: [
        [3600 * 24, "{D}.{M}.", null, null, null, null, null, null, 1],
        [3600, "{HH}:{mm}", null, null, null, null, null, null, 1],
        [60, "{HH}:{mm}", null, null, null, null, null, null, 1],
        [1, "{HH}:{mm}:{ss}", null, null, null, null, null, null, 1],
      ],
    },
    {
      stroke: ink,
      size: LEFT,
      font: "14px Overpass Variable, sans-serif",
      show: true,
      values: withValues ? undefined : () => [],
      splits: withValues ? undefined : () => [],
      grid: { stroke: colour("--line"), width: 1 },
      ticks: { show: false },
      space: 22,
    } as uPlot.Axis,
  ];
}

function panels(parent: HTMLElement, width: number, latest: Latest): uPlot[] {
  const { unit } = latest.current;
  const make = (options: Partial<uPlot.Options> & { height: number; lines: uPlot.Series[]; most?: number; last?: boolean }) =>
    new uPlot(
      {
        width,
        height: options.height,
        tzDate: (stamp) => uPlot.tzDate(new Date(stamp * 1000), latest.current.timeZone),
        legend: { show: false },
        padding: [8, 30, options.last ? 0 : 8, 0],
        cursor: { sync: { key: "time axis" }, drag: { x: true, y: false, setScale: false }, points: { show: false } },
        select: { show: true, left: 0, top: 0, width: 0, height: 0 },
        scales: { x: { time: true, range: (_, min, max) => [min, max] }, y: { range: (_, __, high) => range(high, options.most) } },
        axes: axesOf(options.last ?? false, options.lines.length > 0),
        series: [{}, ...(options.lines.length ? options.lines : [{ show: false }])],
        hooks: {
          setSelect: [
            (plot) => {
              if (plot.select.width < 4) return;
              const from = plot.posToVal(plot.select.left, "x");
              const to = plot.posToVal(plot.select.left + plot.select.width, "x");
              plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
              if (to - from >= 1) latest.current.onStretch(from, Math.max(to, from + SHORTEST_S));
            },
          ],
          setCursor: [(plot) => options.last && latest.current.onRead(readOff(plot, latest.current.history))],
          draw: [(plot) => drawEvents(plot, latest.current.history)],
          ...options.hooks,
        },
      },
      [[], []] as unknown as uPlot.AlignedData,
      parent,
    );
  const line = (name: string, width = 2): uPlot.Series => ({ stroke: colour(name), width, points: { show: false }, spanGaps: false });
  return [
    make({ height: HEIGHTS[0], lines: [], hooks: { drawClear: [(plot) => drawRuns(plot, latest.current.history)], draw: [(plot) => drawEvents(plot, latest.current.history)] } }),
    make({ height: HEIGHTS[1], lines: [line("--ink")], most: 10 }),
    make({ height: HEIGHTS[2], lines: [line("--checked"), line("--grain")], most: 0.1 / unit.metres }),
    make({ height: HEIGHTS[3], lines: [line("--faded")], last: true }),
  ];
}

/** From 0 to what is there, at most `most`: an outlier does not flatten what matters. */
function range(high: number | null, most?: number): [number, number] {
  const top = high ?? 1;
  return [0, most === undefined ? Math.max(1, top * 1.1) : Math.max(most / 5, Math.min(top * 1.1, most))];
}

function drawRuns(plot: uPlot, history: History) {
  const { ctx, bbox } = plot;
  ctx.save();
  for (const run of history.runs) {
    const band = BAND[run.status];
    const left = plot.valToPos(run.from_s, "x", true);
    const right = plot.valToPos(run.to_s, "x", true);
    ctx.fillStyle = colour(band.colour);
    const height = bbox.height * band.height;
    ctx.fillRect(left, bbox.top + bbox.height - height, Math.max(1.5, right - left), height);
  }
  ctx.restore();
}

function drawEvents(plot: uPlot, history: History) {
  const { ctx, bbox } = plot;
  ctx.save();
  ctx.strokeStyle = colour("--flag");
  ctx.lineWidth = Math.max(1, devicePixelRatio);
  ctx.setLineDash([4 * devicePixelRatio, 3 * devicePixelRatio]);
  for (const event of history.events) {
    const x = plot.valToPos(event.at_s, "x", true);
    if (x < bbox.left || x > bbox.left + bbox.width) continue;
    ctx.beginPath();
    ctx.moveTo(x, bbox.top);
    ctx.lineTo(x, bbox.top + bbox.height);
    ctx.stroke();
  }
  ctx.restore();
}

function readOff(plot: uPlot, history: History): ReadOff | null {
  const at = plot.cursor.idx;
  if (at === null || at === undefined || (plot.cursor.left ?? -1) < 0 || history.host_s[at] === undefined) return null;
  return {
    at: history.host_s[at],
    age: history.age_s[at] ?? null,
    horizontal: history.horizontal_95_m[at] ?? null,
    vertical: history.vertical_95_m[at] ?? null,
    satellites: history.satellites[at] ?? null,
  };
}

/** Two fingers choose the stretch of time, one reads off; the wheel zooms about the pointer. */
function useFingers(box: RefObject<HTMLDivElement | null>, latest: Latest) {
  const down = useRef(new Map<number, number>());
  const began = useRef<{ from: number; to: number; low: number; high: number } | null>(null);
  const at = (clientX: number) => {
    const frame = box.current!.getBoundingClientRect();
    return Math.min(1, Math.max(0, (clientX - frame.left - LEFT) / Math.max(1, frame.width - LEFT - 30)));
  };
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.shiftKey) return;
      event.preventDefault();
      const { from_s, to_s } = latest.current.history;
      const factor = event.deltaY > 0 ? 1.25 : 0.8;
      const pivot = from_s + (to_s - from_s) * at(event.clientX);
      latest.current.onStretch(pivot - (pivot - from_s) * factor, pivot + (to_s - pivot) * factor);
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  });
  return {
    onPointerDown: (event: PointerEvent) => {
      if (event.pointerType !== "touch") return;
      down.current.set(event.pointerId, at(event.clientX));
      if (down.current.size === 2) {
        const [low, high] = [...down.current.values()].sort((a, b) => a - b) as [number, number];
        const { from_s, to_s } = latest.current.history;
        began.current = { from: from_s, to: to_s, low, high: Math.max(high, low + 0.02) };
      }
    },
    onPointerMove: (event: PointerEvent) => {
      if (event.pointerType !== "touch" || !down.current.has(event.pointerId)) return;
      down.current.set(event.pointerId, at(event.clientX));
      const start = began.current;
      if (down.current.size !== 2 || !start) return;
      const [low, high] = [...down.current.values()].sort((a, b) => a - b) as [number, number];
      const span = ((start.to - start.from) * (start.high - start.low)) / Math.max(0.02, high - low);
      const from = start.from + (start.to - start.from) * start.low - span * low;
      latest.current.onStretch(from, from + Math.max(SHORTEST_S, span));
    },
    onPointerUp: (event: PointerEvent) => {
      down.current.delete(event.pointerId);
      began.current = null;
    },
    onPointerCancel: (event: PointerEvent) => {
      down.current.delete(event.pointerId);
      began.current = null;
    },
  };
}
