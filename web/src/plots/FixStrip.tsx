import type { Schemas } from "../api/client";

type History = Schemas["History"];

const WIDTH = 1000;
const BAND: Record<Schemas["Run"]["status"], { colour: string; height: number }> = {
  fixed: { colour: "var(--checked)", height: 34 },
  float: { colour: "var(--grain)", height: 24 },
  dgps: { colour: "var(--lath)", height: 18 },
  single: { colour: "var(--lath)", height: 14 },
  other: { colour: "var(--lath)", height: 10 },
  none: { colour: "var(--flag)", height: 6 },
};
/** Minutes between two lines across, for spans up to so many minutes. */
const GRID = [
  { upTo: 5, every: 1 },
  { upTo: 30, every: 2 },
  { upTo: 120, every: 10 },
  { upTo: Infinity, every: 60 },
];

/** The fix history on one time axis: a bar for each run of one solution (height and colour say the same), age, claimed 95 %. */
export function FixStrip({ history }: { history: History }) {
  const span = history.to_s - history.from_s;
  const x = (time: number) => ((time - history.from_s) / span) * WIDTH;
  const minutes = Math.round(span / 60);
  const step = GRID.find((item) => minutes <= item.upTo)!.every;
  const ticks = Array.from({ length: Math.floor(minutes / step) + 1 }, (_, n) => n * step);
  return (
    <svg viewBox={`0 0 ${WIDTH} 300`} preserveAspectRatio="none" className="h-full w-full" role="img" aria-label="Fix history">
      {ticks.map((ago) => (
        <line key={ago} x1={x(history.to_s - ago * 60)} x2={x(history.to_s - ago * 60)} y1="0" y2="300" stroke="var(--line)" vectorEffect="non-scaling-stroke" />
      ))}
      {history.runs.map((run) => {
        const band = BAND[run.status];
        return (
          <rect key={run.from_s} x={x(run.from_s)} width={Math.max(0.8, x(run.to_s) - x(run.from_s))} y={40 - band.height} height={band.height} fill={band.colour} />
        );
      })}
      <Line history={history} values={history.age_s} top={70} most={10} colour="var(--ink)" x={x} />
      <Line history={history} values={history.horizontal_95_m} top={150} most={0.1} colour="var(--checked)" x={x} />
      <Line history={history} values={history.vertical_95_m} top={230} most={0.1} colour="var(--grain)" x={x} />
    </svg>
  );
}

function Line(props: {
  history: History;
  values: (number | null)[];
  top: number;
  most: number;
  colour: string;
  x: (time: number) => number;
}) {
  const height = 60;
  let path = "";
  let pen = "M";
  props.history.host_s.forEach((time, n) => {
    const value = props.values[n];
    if (value === null || value === undefined) {
      pen = "M"; // a gap: nothing is drawn across it
      return;
    }
    const y = props.top + height - Math.min(value / props.most, 1) * height;
    path += `${pen}${props.x(time).toFixed(1)} ${y.toFixed(1)}`;
    pen = "L";
  });
  return (
    <>
      <line x1="0" x2={WIDTH} y1={props.top + height} y2={props.top + height} stroke="var(--line)" vectorEffect="non-scaling-stroke" />
      <path d={path} fill="none" stroke={props.colour} strokeWidth="2.5" vectorEffect="non-scaling-stroke" />
    </>
  );
}
