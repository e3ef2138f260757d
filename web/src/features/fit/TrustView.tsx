import { Undo2 } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useChooseFit, useUndoFit } from "../../api/fit";
import { decimal, length, METRES, partsPerMillion, UNIT_SIGN } from "../../lib/format";
import { FitPlan } from "../../plots/FitPlan";
import { Button, LinkButton, Note, Select } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import { ApplyFit } from "./ApplyFit";
import type { FitViewProps } from "./props";
import { MarkNumbers } from "./MarkNumbers";

type Mark = Schemas["FitMarkView"];
type MarkUse = Mark["use"];

/** The fit: one number, the plan, every mark with its switches, and what these data can and cannot tell. */
export function TrustView({ job, fit, tabs, onView }: FitViewProps) {
  const choose = useChooseFit(job.id);
  const undo = useUndoFit(job.id);
  const [picked, setPicked] = useState<string | null>(null);
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const use = (line_id: string, next: MarkUse) => choose.mutate({ replaces_id: fit.chosen_id, uses: { [line_id]: next } });
  const shown = fit.marks.find((mark) => mark.line_id === picked) ?? fit.marks.find((mark) => mark.name === fit.headline.name) ?? null;
  const problem = choose.error ?? undo.error;
  return (
    <Page
      title="Fit"
      why="Ties GNSS to the control's own coordinates (a calibration), and says how far to trust it."
      tabs={tabs}
      aside={<Aside words={problem ? sentenceOf(problem) : fit.next.words} flag={Boolean(problem)} />}
      action={<NextAction job={job} fit={fit} busy={choose.isPending} onUse={use} onView={onView} />}
    >
      <Headline fit={fit} unit={unit} sign={sign} choose={choose} undo={undo} />
      {fit.marks.length === 0 ? (
        <Note>
          No mark has local coordinates: the job works in its projection. Bring a list in, or type a mark, where the control is in a system of its own.
        </Note>
      ) : (
        <div className="grid grid-cols-1 lg:grid-cols-[minmax(0,1fr)_27rem] gap-4">
          <div className="flex min-w-0 flex-col gap-2">
            <FitPlan
              marks={fit.marks.map((mark) => ({
                id: mark.line_id,
                name: mark.name,
                eastM: mark.local_e_m,
                northM: mark.local_n_m,
                state: mark.state,
                used: mark.horizontal || mark.vertical,
                inside: mark.horizontal,
                arrow: mark.point?.residual_e_m != null && mark.point.residual_n_m != null ? [mark.point.residual_e_m, mark.point.residual_n_m] : null,
              }))}
              hull={fit.hull}
              wash={fit.wash}
              picked={shown?.line_id ?? null}
              onPick={setPicked}
              write={(metres) => `${length(metres, unit)} ${sign}`}
              unit={{ metres: METRES[unit], sign }}
            />
            <FitNumbers job={job} fit={fit} />
            <FindingLines findings={fit.findings} />
          </div>
          <div className="flex min-w-0 flex-col gap-2">
            <Marks job={job} marks={fit.marks} shown={shown?.line_id ?? null} busy={choose.isPending} onPick={setPicked} onUse={use} />
            {shown && <MarkNumbers job={job} mark={shown} test={fit.test_words} onUse={(next) => use(shown.line_id, next)} busy={choose.isPending} />}
          </div>
        </div>
      )}
    </Page>
  );
}

/** How far the fit can be trusted, in one number. */
function Headline(props: {
  fit: Schemas["FitView"];
  unit: Schemas["JobView"]["length_unit"];
  sign: string;
  choose: ReturnType<typeof useChooseFit>;
  undo: ReturnType<typeof useUndoFit>;
}) {
  const { fit, unit, sign, choose, undo } = props;
  return (
    <div className="mb-2 flex items-center gap-5 hand:flex-wrap hand:gap-x-3 hand:gap-y-2">
      <StateMark state={fit.state} size={36} />
      <p className="min-w-0 flex-1 text-xl leading-6 hand:min-w-64" data-testid="headline">
        {fit.headline.value_m !== null && (
          <span className={`mr-3 text-5xl font-bold whitespace-nowrap ${fit.state === "disagrees" ? "text-flag" : ""}`}>
            {length(fit.headline.value_m, unit)}
            <span className="ml-1 text-xl">{sign}</span>
          </span>
        )}
        <span className="font-semibold">{fit.headline.words}</span>
        {fit.horizontal && (fit.applied || fit.state !== "disagrees") && <span className="text-faded">{fit.applied ? (fit.applied.is_shown ? "; in use" : "; another fit is in use") : "; not applied"}</span>}
      </p>
      <div className="w-60 hand:min-w-40 hand:flex-1">
        <Select
          compact
          label="Method"
          value={fit.school}
          options={fit.schools.map((item) => ({ value: item.school, label: item.title }))}
          onChange={(school) => choose.mutate({ replaces_id: fit.chosen_id, school: school as Schemas["FitView"]["school"] })}
        />
      </div>
      <Button className="px-3!" disabled={!fit.undo_words || undo.isPending} title={fit.undo_words} onClick={() => fit.chosen_id && undo.mutate({ replaces_id: fit.chosen_id })}>
        <Undo2 aria-hidden size={20} /> Undo
      </Button>
    </div>
  );
}

function Aside({ words, flag }: { words: string; flag: boolean }) {
  return <p className={`text-xl font-bold ${flag ? "text-flag" : ""}`}>{words}</p>;
}

/** The page's one action: what the school says is next. */
function NextAction(props: {
  job: Schemas["JobView"];
  fit: Schemas["FitView"];
  busy: boolean;
  onUse: (line_id: string, use: MarkUse) => void;
  onView: FitViewProps["onView"];
}) {
  const { job, fit } = props;
  const { kind, press, line_id, use, other_press, other_use } = fit.next;
  if (kind === "none") return null;
  if (kind === "list")
    return (
      <Button kind="primary" large onClick={() => props.onView("marks")}>
        {press}
      </Button>
    );
  if (kind === "measure") return <LinkButton to={`/job/${job.id}/fit?view=measure&line=${line_id}`}>{press}</LinkButton>;
  if (kind === "apply") return <ApplyFit job={job} fit={fit} words={press} />;
  return (
    <div className="flex gap-3">
      {other_use && (
        <Button className="h-record!" disabled={props.busy} onClick={() => props.onUse(line_id, other_use)}>
          {other_press}
        </Button>
      )}
      <Button kind="primary" large disabled={props.busy || !use} onClick={() => use && props.onUse(line_id, use)}>
        {press}
      </Button>
    </div>
  );
}

function FitNumbers({ job, fit }: { job: Schemas["JobView"]; fit: Schemas["FitView"] }) {
  const { horizontal: flat, vertical: up, expected } = fit;
  if (!flat) return null;
  const unit = job.length_unit;
  const scale = flat.model === "similarity" ? "scale" : "scale held,";
  return (
    <dl className="grid grid-cols-[6.5rem_minmax(0,1fr)] rounded border-2 border-line bg-page px-3 py-1 leading-6">
      <dt className="text-faded">horizontal</dt>
      <dd>
        {scale} <b>{flat.scale.toFixed(7)}</b> ({partsPerMillion(flat.scale_ppm)} ppm; expected {expected.scale.toFixed(7)}), turned by <b>{decimal(flat.rotation_deg, 4)}°</b>
        {expected.rotation_deg !== null && ` (expected ${decimal(expected.rotation_deg, 4)}°)`}, redundancy {flat.redundancy}
      </dd>
      <dt className="text-faded">vertical</dt>
      <dd>
        {up ? (
          <>
            {up.model} <b>{length(up.constant_m, unit)} {UNIT_SIGN[unit]}</b>
            {up.model === "plane" && `, tilted ${partsPerMillion(up.slope_east_ppm)} ppm east and ${partsPerMillion(up.slope_north_ppm)} north`}, redundancy {up.redundancy}
          </>
        ) : (
          fit.up_problem || "none"
        )}
      </dd>
    </dl>
  );
}

const USES: Record<string, MarkUse> = { "true true": "hv", "true false": "h", "false true": "v", "false false": "check" };

function Marks(props: {
  job: Schemas["JobView"];
  marks: Mark[];
  shown: string | null;
  busy: boolean;
  onPick: (line_id: string) => void;
  onUse: (line_id: string, use: MarkUse) => void;
}) {
  const unit = props.job.length_unit;
  const size = (metres: number | null) => (metres === null ? "–" : length(metres, unit));
  return (
    <table className="w-full rounded border-2 border-line bg-page" aria-label="Marks of the fit">
      <thead>
        <tr className="text-right text-sm text-faded">
          <th className="w-36 small:w-auto py-1 pl-3 text-left leading-4 font-semibold">off, by the others ({UNIT_SIGN[unit]})</th>
          <th className="font-semibold">horizontal</th>
          <th className="pl-2 font-semibold">height</th>
          <th className="w-28 small:w-auto pr-2 font-semibold">in the fit</th>
        </tr>
      </thead>
      <tbody>
        {props.marks.map((mark) => {
          const wants = { h: mark.use.includes("h") && mark.use !== "check", v: mark.use === "v" || mark.use === "hv" };
          const flip = (part: "h" | "v") => props.onUse(mark.line_id, USES[`${part === "h" ? !wants.h : wants.h} ${part === "v" ? !wants.v : wants.v}`]!);
          return (
            <tr key={mark.line_id} className={`border-t border-line text-right ${mark.line_id === props.shown ? "bg-lath/30" : ""}`}>
              <td className="text-left">
                <button type="button" className="flex min-h-touch w-full items-center gap-2 pl-3 text-left leading-5" onClick={() => props.onPick(mark.line_id)}>
                  <StateMark state={mark.state} size={22} />
                  <span>
                    <span className="block text-xl font-bold">{mark.name}</span>
                    <span className={`block text-sm ${mark.state === "disagrees" ? "font-bold text-flag" : "text-faded"}`}>{mark.words}</span>
                  </span>
                </button>
              </td>
              <td className={`text-xl ${mark.gnss_e_m === null || mark.horizontal || mark.use === "check" ? "font-bold" : "text-faded"}`}>{size(mark.off_m)}</td>
              <td className={`text-xl ${mark.gnss_e_m === null || mark.vertical || mark.use === "check" ? "font-bold" : "text-faded"}`}>{size(mark.off_up_m)}</td>
              <UseButtons mark={mark} wants={wants} busy={props.busy} flip={flip} />
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Whether a mark is used horizontally and vertically. */
function UseButtons(props: {
  mark: Schemas["FitMarkView"];
  wants: { h: boolean; v: boolean };
  busy: boolean;
  flip: (part: "h" | "v") => void;
}) {
  const { mark, wants, busy, flip } = props;
  return (
    <td className="pr-2 whitespace-nowrap">
      {mark.gnss_e_m !== null &&
        (["h", "v"] as const).map((part) => (
          <button
            key={part}
            type="button"
            role="switch"
            aria-checked={wants[part]}
            aria-label={`${mark.name} ${part === "h" ? "horizontal" : "vertical"}`}
            disabled={busy || (part === "v" && mark.local_h_m === null)}
            onClick={() => flip(part)}
            className={`ml-1 size-11 rounded border-2 text-lg font-bold disabled:opacity-45 ${wants[part] ? "border-checked bg-checked text-page" : "border-line bg-page"}`}
          >
            {part.toUpperCase()}
          </button>
        ))}
    </td>
  );
}
