import { useState } from "react";
import { problemOf, sentenceOf, type Schemas } from "../../api/client";
import { useNoteKp } from "../../api/sky";
import { useWidth } from "../../plots/width";
import { HourStrip } from "../../plots/HourStrip";
import { Button, Figure, Note, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { DayChooser } from "./DayChooser";
import type { SkyProps } from "./props";

/** What the ionosphere does over the day by the broadcast coefficients, and the index Kp as somebody read it. */
export function IonosphereView(props: SkyProps) {
  const { shown } = props;
  const [kp, setKp] = useState("");
  const note = useNoteKp(props.job.id);
  const problem = problemOf(note.error);
  return (
    <Page title="Ionosphere" why="It delays signals, most about local midday; what base and rover do not share of it stays in the vector." tabs={props.tabs} aside={<DayChooser shown={shown} ask={props.ask} />}>
      <div className="flex flex-col gap-4">
        <p className="text-xl">{shown.ionosphere.words}</p>
        {shown.ionosphere.overhead_m.length > 0 && (
          <>
            <AtHour {...props} />
            <Curve {...props} />
            <HourStrip shown={shown} step={props.step} onStep={props.onStep} clock={props.at} />
          </>
        )}
        <section className="grid max-w-3xl grid-cols-[12rem_auto] items-start gap-4 rounded border-2 border-line bg-page p-4 small:grid-cols-1">
          <TextField
            label="Index Kp today"
            name="kp"
            value={kp}
            onChange={setKp}
            hint="As a space weather service gives it"
            problem={problem?.field === "kp" ? problem.sentence : null}
          />
          <div className="flex flex-col gap-2 pt-7 small:pt-0">
            <div>
              <Button disabled={!kp.trim() || note.isPending} onClick={() => note.mutate(kp)}>
                Note it in the Book
              </Button>
            </div>
            {note.isError && problem?.field !== "kp" && <Note tone="flag">{sentenceOf(note.error)}</Note>}
            {note.data && <p className="text-lg font-semibold">{note.data.words}</p>}
            {!note.data && <p className="text-faded">What it means is said and noted; it changes no number.</p>}
          </div>
        </section>
      </div>
    </Page>
  );
}

/** The delay at the hour that is chosen, overhead and between both ends. */
function AtHour({ shown, step, at }: SkyProps) {
  return (
    <div className="flex flex-wrap gap-x-10">
      <Figure label={`Overhead at ${at(step)}, on L1`} value={(shown.ionosphere.overhead_m[step] ?? 0).toFixed(1)} sign="m" large />
      <Figure label={`Between the ends, ${shown.baseline_words}`} value={(1000 * (shown.ionosphere.between_m[step] ?? 0)).toFixed(1)} sign="mm" large />
    </div>
  );
}

const HEIGHT = 200;

/** The delay overhead through the day. */
function Curve({ shown, at, step }: SkyProps) {
  const [box, width] = useWidth<HTMLDivElement>();
  const { overhead_m: values } = shown.ionosphere;
  const most = Math.max(1, Math.ceil(Math.max(...values)));
  const x = (n: number) => (n / (values.length - 1)) * width;
  const y = (metres: number) => 26 + (1 - metres / most) * (HEIGHT - 58);
  return (
    <div ref={box} className="w-full rounded border-2 border-line bg-page" style={{ height: HEIGHT }}>
      {width > 0 && (
        <svg width={width} height={HEIGHT} role="img" aria-label={`Delay overhead: ${shown.ionosphere.words}`}>
          {[0, most / 2, most].map((metres) => (
            <g key={metres}>
              <path d={`M0 ${y(metres)}H${width}`} stroke="var(--line)" />
              <text x="6" y={y(metres) - 4} fontSize="15" fill="var(--faded)">
                {metres.toFixed(1)} m
              </text>
            </g>
          ))}
          <path d={values.map((metres, n) => `${n ? "L" : "M"}${x(n).toFixed(1)} ${y(metres).toFixed(1)}`).join("")} fill="none" stroke="var(--act)" strokeWidth="3" />
          <path d={`M${x(step)} 12V${HEIGHT - 32}`} stroke="var(--flag)" strokeWidth="2" />
          <Hours shown={shown} x={x} at={at} width={width} />
        </svg>
      )}
    </div>
  );
}

function Hours({ shown, x, at, width }: { shown: Schemas["SkyOfDay"]; x: (n: number) => number; at: (step: number) => string; width: number }) {
  const every = ((width < 600 ? 6 : 3) * 3600) / shown.step_s;
  return Array.from({ length: Math.floor((shown.steps - 1) / every) + 1 }, (_, n) => (
    <text key={n} x={Math.min(width - 24, Math.max(24, x(n * every)))} y={HEIGHT - 10} fontSize="16" textAnchor="middle" fill="var(--ink)">
      {at(n * every)}
    </text>
  ));
}
