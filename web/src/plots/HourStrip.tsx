import { useRef, type KeyboardEvent, type PointerEvent } from "react";
import type { Schemas } from "../api/client";
import { counted } from "../lib/format";
import { useWidth } from "./width";

const HEIGHT = 118;
const TOP = 24;
const FOOT = 28;
const BAND = 12;
const LABEL_HOURS = 3;

/** The hours of a day: satellites in common as steps, good hours and poor ones as a band, the night shaded; drag to choose a moment. */
export function HourStrip(props: { shown: Schemas["SkyOfDay"]; step: number; onStep: (step: number) => void; clock: (step: number) => string }) {
  const { shown } = props;
  const [box, width] = useWidth<HTMLDivElement>();
  const dragging = useRef(false);
  const last = shown.steps - 1;
  const x = (step: number) => (step / last) * width;
  const most = Math.max(1, ...shown.hours.common);
  const y = (count: number) => TOP + (1 - count / most) * (HEIGHT - TOP - FOOT - BAND - 4);
  const go = (event: PointerEvent<HTMLDivElement>) => {
    const rect = event.currentTarget.getBoundingClientRect();
    props.onStep(Math.min(last, Math.max(0, Math.round(((event.clientX - rect.left) / rect.width) * last))));
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const to = { ArrowLeft: props.step - 1, ArrowRight: props.step + 1, PageUp: props.step + 6, PageDown: props.step - 6, Home: 0, End: last }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    props.onStep(Math.min(last, Math.max(0, to)));
  };
  return (
    <div
      ref={box}
      role="slider"
      tabIndex={0}
      aria-label="Hour"
      aria-valuemin={0}
      aria-valuemax={last}
      aria-valuenow={props.step}
      aria-valuetext={props.clock(props.step)}
      className="w-full cursor-ew-resize touch-pan-y select-none"
      style={{ height: HEIGHT }}
      onKeyDown={onKeyDown}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        dragging.current = true;
        go(event);
      }}
      onPointerMove={(event) => dragging.current && go(event)}
      onPointerUp={() => (dragging.current = false)}
      onPointerCancel={() => (dragging.current = false)}
    >
      {width > 0 && (
        <svg width={width} height={HEIGHT} aria-hidden="true" className="block">
          <Night shown={shown} x={x} />
          <Steps counts={shown.hours.common} x={x} y={y} />
          <Band shown={shown} x={x} />
          <Times shown={shown} x={x} width={width} clock={props.clock} />
          <text x="6" y={HEIGHT - FOOT - BAND - 10} fontSize="15" fill="var(--ink)">
            {width < 600 ? `${Math.max(...shown.hours.common)} at most` : `at most ${counted(Math.max(...shown.hours.common), "satellite")} in common`}
          </text>
          {shown.elements.nominal && <Nominal right={width - 8} />}
          {shown.now !== null && <path d={`M${x(shown.now)} ${TOP}V${HEIGHT - FOOT}`} stroke="var(--ink)" strokeWidth="2" strokeDasharray="3 4" />}
          <Chosen at={x(props.step)} right={props.step > last / 2} words={props.clock(props.step)} />
        </svg>
      )}
    </div>
  );
}

function Nominal({ right }: { right: number }) {
  return (
    <text x={right} y={HEIGHT - FOOT - BAND - 10} fontSize="15" fontWeight="700" textAnchor="end" fill="var(--flag)">
      nominal, to practise
    </text>
  );
}

/** The moment that is looked at. */
function Chosen({ at, right, words }: { at: number; right: boolean; words: string }) {
  return (
    <g transform={`translate(${at} 0)`}>
      <path d={`M0 ${TOP - 2}V${HEIGHT - FOOT + 4}`} stroke="var(--flag)" strokeWidth="3" />
      <circle cy={TOP - 2} r="8" fill="var(--flag)" />
      <text x={right ? -14 : 14} y={TOP - 6} fontSize="18" fontWeight="700" textAnchor={right ? "end" : "start"} fill="var(--flag)">
        {words}
      </text>
    </g>
  );
}

/** Dark where the sun is down, by what was sent. */
function Night({ shown, x }: { shown: Schemas["SkyOfDay"]; x: (step: number) => number }) {
  const { rise_s: rise, set_s: sets } = shown.sun;
  if (rise === null || sets === null) return null;
  const at = (seconds: number) => Math.min(x(shown.steps - 1), Math.max(0, x((seconds - shown.from_s) / shown.step_s)));
  const end = x(shown.steps - 1);
  const dark = rise < sets ? [[0, at(rise)] as const, [at(sets), end] as const] : [[at(sets), at(rise)] as const];
  return (
    <>
      {dark.map(([from, to]) => (
        <rect key={from} x={from} y={TOP} width={Math.max(0, to - from)} height={HEIGHT - TOP - FOOT} fill="var(--faded)" opacity="0.16" />
      ))}
    </>
  );
}

function Steps({ counts, x, y }: { counts: number[]; x: (step: number) => number; y: (count: number) => number }) {
  const line = counts.map((count, n) => `${n ? `H${x(n).toFixed(1)}V` : `M0 `}${y(count).toFixed(1)}`).join("");
  return <path d={`${line}V${y(0)}H0Z`} fill="var(--lath)" opacity="0.45" stroke="var(--grain)" strokeWidth="1.5" />;
}

const LOOKS = { good: "var(--checked)", poor: "var(--flag)", fair: "var(--line)" };

function Band({ shown, x }: { shown: Schemas["SkyOfDay"]; x: (step: number) => number }) {
  const top = HEIGHT - FOOT - BAND;
  return (
    <>
      <rect x="0" y={top} width={x(shown.steps - 1)} height={BAND} fill={LOOKS.fair} />
      {(["good", "poor"] as const).map((kind) =>
        shown.hours[kind].map((span) => {
          const [from, to] = [span.from_s, span.to_s].map((seconds) => x((seconds - shown.from_s) / shown.step_s)) as [number, number];
          // What is poor is lower too: colour is not all that tells them apart.
          return <rect key={`${kind} ${span.from_s}`} x={from} y={kind === "good" ? top : top + BAND / 2} width={to - from} height={kind === "good" ? BAND : BAND / 2} fill={LOOKS[kind]} />;
        }),
      )}
    </>
  );
}

function Times({ shown, x, width, clock }: { shown: Schemas["SkyOfDay"]; x: (step: number) => number; width: number; clock: (step: number) => string }) {
  const every = (LABEL_HOURS * (width < 600 ? 2 : 1) * 3600) / shown.step_s;
  const marks = Array.from({ length: Math.floor((shown.steps - 1) / every) + 1 }, (_, n) => n * every);
  return (
    <>
      {marks.map((step) => (
        <text key={step} x={Math.min(width - 22, Math.max(22, x(step)))} y={HEIGHT - 8} fontSize="16" textAnchor="middle" fill="var(--ink)">
          {clock(step)}
        </text>
      ))}
    </>
  );
}
