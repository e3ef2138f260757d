import type { Schemas } from "../api/client";

const WIDTH = 1000;
const BAND: Record<string, { colour: string; height: number }> = {
  fixed: { colour: "var(--checked)", height: 34 },
  float: { colour: "var(--grain)", height: 24 },
  dgps: { colour: "var(--lath)", height: 18 },
  single: { colour: "var(--lath)", height: 14 },
  other: { colour: "var(--lath)", height: 10 },
  none: { colour: "var(--flag)", height: 6 },
};

/** The fix history on one time axis: status band (height and colour say the same), age, claimed 95 % H and V. */
export function FixStrip({ history }: { history: Schemas["History"] }) {
  const span = history.to_s - history.from_s;
  const x = (time: number) => ((time - history.from_s) / span) * WIDTH;
  const minutes = Math.round(span / 60);
  const step = minutes > 30 ? 10 : minutes > 5 ? 2 : 1;
  const ticks = Array.from({ length: Math.floor(minutes / step) + 1 }, (_, n) => n * step);
  return (
    <svg viewBox={`0 0 ${WIDTH} 300`} preserveAspectRatio="none" className="h-full w-full" role="img" aria-label="Fix history">
      {ticks.map((ago) => (
        <line key={ago} x1={x(history.to_s - ago * 60)} x2={x(history.to_s - ago * 60)} y1="0" y2="300" stroke="var(--line)" vectorEffect="non-scaling-stroke" />
      ))}
      {history.time_s.map((time, n) => {
        const band = BAND[history.status[n] ?? "none"]!;
        const next = Math.min(history.time_s[n + 1] ?? time + 1, time + 1.6);
        return <rect key={time} x={x(time)} width={Math.max(0.8, x(next) - x(time))} y={40 - band.height} height={band.height} fill={band.colour} />;
      })}
      <Line history={history} values={history.age_s} top={70} most={10} colour="var(--ink)" x={x} />
      <Line history={history} values={history.horizontal_95_m} top={150} most={0.1} colour="var(--checked)" x={x} />
      <Line history={history} values={history.vertical_95_m} top={230} most={0.1} colour="var(--grain)" x={x} />
    </svg>
  );
}

function Line(props: {
  history: Schemas["History"];
  values: (number | null)[];
  top: number;
  most: number;
  colour: string;
  x: (time: number) => number;
}) {
  const height = 60;
  let path = "";
  let last: number | null = null;
  props.history.time_s.forEach((time, n) => {
    const value = props.values[n];
    if (value === null || value === undefined) {
      last = null;
      return;
    }
    const y = props.top + height - Math.min(value / props.most, 1) * height;
    path += `${last !== null && time - last < 3 ? "L" : "M"}${props.x(time).toFixed(1)} ${y.toFixed(1)}`;
    last = time;
  });
  return (
    <>
      <line x1="0" x2={WIDTH} y1={props.top + height} y2={props.top + height} stroke="var(--line)" vectorEffect="non-scaling-stroke" />
      <path d={path} fill="none" stroke={props.colour} strokeWidth="2.5" vectorEffect="non-scaling-stroke" />
    </>
  );
}
