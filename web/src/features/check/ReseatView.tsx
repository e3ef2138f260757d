import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useApplyReseat, usePreviewReseat, useReseat } from "../../api/check";
import { useRestoreCoordinate } from "../../api/queries";
import { clock, length, signed, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { MarkPicker, useCurrentMark } from "../../ui/marks";
import { Page } from "../../ui/Page";
import { TickRow } from "../../ui/ticks";
import type { ViewProps } from "../../ui/view";

/** Re-seat: a known mark moves the base; everything it would do stands here before it is done. */
export function ReseatView({ job, tabs }: ViewProps) {
  const [picked, setPicked] = useState<Schemas["MarkView"] | null>(null);
  const [shots, setShots] = useState<string[]>([]);
  const [accepted, setAccepted] = useState(false);
  const mark = useCurrentMark(job.id, picked);
  const view = useReseat(job.id, mark?.id ?? "");
  const usable = (view.data?.shots ?? []).filter((shot) => !shot.why_not);
  const chosen = shots.filter((id) => usable.some((shot) => shot.id === id));
  const wish = { mark_id: mark?.id ?? "", shot_ids: mark ? chosen : [] };
  const preview = usePreviewReseat(job.id, wish);
  const apply = useApplyReseat(job.id);
  const shown = wish.shot_ids.length > 0 ? preview.data : undefined;
  const stops = shown ? shown.stops.length > 0 : false;
  const choose = (ids: string[]) => {
    setShots(ids);
    setAccepted(false);
  };
  const problem = [apply.error, wish.shot_ids.length ? preview.error : null].find((error) => error instanceof Problem);
  return (
    <Page
      title="Re-seat the base"
      why="A known mark, measured, moves the base: before the work, and then proven on a second mark."
      tabs={tabs}
      aside={
        problem ? (
          <p className="font-semibold text-flag">{sentenceOf(problem)}</p>
        ) : stops ? (
          <TickRow what="I have looked for the mistake; move it anyway" done={accepted} onTick={() => setAccepted(!accepted)} />
        ) : view.data?.undo_id ? (
          <Undo job={job} view={view.data} />
        ) : (
          <p className="text-faded">{shown ? "Nothing is moved until you say so. It can be undone." : "Pick the mark, then the shots on it."}</p>
        )
      }
      action={
        <Button
          kind={stops ? "danger" : "primary"}
          large
          disabled={!shown || (stops && !accepted) || apply.isPending}
          onClick={() => apply.mutate({ ...wish, accepted, unlock: shown?.locked ?? false }, { onSuccess: () => choose([]) })}
        >
          Move the base
        </Button>
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[21rem_minmax(0,1fr)] gap-6">
        <ReseatFields job={job} mark={mark} setPicked={setPicked} choose={choose} view={view} chosen={chosen} />
        <div className="min-w-0">{shown ? <Preview job={job} shown={shown} /> : <Note>One epoch or averages, one shot or several: averages are preferred, and how they scatter is shown.</Note>}</div>
      </div>
    </Page>
  );
}

/** The known mark, and the shots on it. */
function ReseatFields(props: {
  job: Schemas["JobView"];
  mark: ReturnType<typeof useCurrentMark>;
  setPicked: (value: Schemas["MarkView"] | null) => void;
  choose: (ids: string[]) => void;
  view: ReturnType<typeof useReseat>;
  chosen: string[];
}) {
  const { job, mark, setPicked, choose, view, chosen } = props;
  return (
    <div className="flex flex-col gap-3">
      <MarkPicker
        jobId={job.id}
        label="Known mark"
        value={mark}
        onPick={(next) => {
          setPicked(next);
          choose([]);
        }}
      />
      {view.isError && mark && <Note tone="flag">{sentenceOf(view.error)}</Note>}
      {mark && view.data && <Shots job={job} shots={view.data.shots} chosen={chosen} onChoose={choose} />}
    </div>
  );
}

function Shots(props: { job: Schemas["JobView"]; shots: Schemas["ReseatShot"][]; chosen: string[]; onChoose: (ids: string[]) => void }) {
  const unit = props.job.length_unit;
  if (props.shots.length === 0) return <Note>No shot on this mark from this base. Measure it on the Check view first.</Note>;
  return (
    <ul className="flex flex-col gap-2" aria-label="Shots on the mark">
      {props.shots.map((shot) => {
        const on = props.chosen.includes(shot.id);
        return (
          <li key={shot.id}>
            <button
              type="button"
              aria-pressed={on}
              disabled={shot.why_not !== ""}
              onClick={() => props.onChoose(on ? props.chosen.filter((id) => id !== shot.id) : [...props.chosen, shot.id])}
              className={`w-full rounded border-2 bg-page px-3 py-2 text-left disabled:opacity-60 ${on ? "border-ink bg-lath/40" : "border-line"}`}
            >
              <span className="block font-bold">
                {clock(shot.created_s, props.job.time_zone)}, {shot.epochs} {shot.epochs === 1 ? "epoch" : "epochs"}
              </span>
              <span className="block text-base">
                {shot.why_not ||
                  `N ${signed(shot.north_m, unit)}, E ${signed(shot.east_m, unit)}, up ${signed(shot.up_m, unit)} ${UNIT_SIGN[unit]}; scatter ${length(shot.scatter_horizontal_m, unit)}`}
              </span>
            </button>
          </li>
        );
      })}
    </ul>
  );
}

function Preview({ job, shown }: { job: Schemas["JobView"]; shown: Schemas["ReseatPreview"] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const parts = [
    { name: "north", value: shown.north_m },
    { name: "east", value: shown.east_m },
    { name: "up", value: shown.up_m },
  ];
  return (
    <section className="flex flex-col gap-3" aria-label="What the re-seat would do">
      <div className="rounded border-2 border-line bg-page p-3">
        <p className="text-faded">Every point from this base moves by (known − observed)</p>
        <div className="grid grid-cols-1 sm:grid-cols-3 gap-4">
          {parts.map((part) => (
            <p key={part.name} className="text-4xl font-bold whitespace-nowrap" data-testid={`shift-${part.name}`}>
              {signed(part.value, unit)} <span className="text-lg font-normal">{sign} {part.name}</span>
            </p>
          ))}
        </div>
        <p className="mt-1">
          Known to {length(shown.horizontal_95_m, unit)} {sign} horizontally and {length(shown.vertical_95_m, unit)} {sign} in height, 95 %. The shots scatter by{" "}
          {length(shown.scatter_horizontal_m, unit)} {sign} and {length(shown.scatter_up_m, unit)} {sign}. Earth-centred: X {signed(shown.shift_x_m, unit)}, Y{" "}
          {signed(shown.shift_y_m, unit)}, Z {signed(shown.shift_z_m, unit)} {sign}.
        </p>
      </div>
      <FindingLines findings={shown.findings} />
      <BeforeAfter shown={shown} unit={unit} />
      <h2 className="font-bold">Checks and points, before and after</h2>
      <CardTable className="w-full text-left text-base" aria-label="What moves">
        <tbody>
          {shown.points.map((point, place) => (
            <tr key={`${point.name} ${place}`} className="border-b border-line">
              <td className="py-1 pr-3 font-semibold">{point.name}</td>
              <td className="py-1 pr-3">{point.before || `moves ${signed(point.moves_north_m, unit)} north, ${signed(point.moves_east_m, unit)} east, ${signed(point.moves_up_m, unit)} up`}</td>
              <td className="py-1 font-semibold">{point.after}</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
    </section>
  );
}

/** The base coordinate now, and after the re-seat. */
function BeforeAfter({ shown, unit }: { shown: Schemas["ReseatPreview"]; unit: Schemas["JobView"]["length_unit"] }) {
  return (
    <CardTable className="w-full text-right text-base">
      <thead>
        <tr className="border-b-2 border-line text-faded">
          <th className="text-left font-semibold">base mark</th>
          <th className="font-semibold">east</th>
          <th className="font-semibold">north</th>
          <th className="font-semibold">height</th>
        </tr>
      </thead>
      <tbody>
        {[
          { name: "now", place: shown.before },
          { name: "after", place: shown.after },
        ].map(({ name, place }) => (
          <tr key={name} className="border-b border-line">
            <td className="text-left font-semibold">{name}</td>
            <td>{length(place.east_m, unit)}</td>
            <td>{length(place.north_m, unit)}</td>
            <td>{length(place.height_m, unit)}</td>
          </tr>
        ))}
      </tbody>
    </CardTable>
  );
}

function Undo({ job, view }: { job: Schemas["JobView"]; view: Schemas["ReseatView"] }) {
  const restore = useRestoreCoordinate(job.id);
  return (
    <div className="flex items-center gap-4">
      <Button
        disabled={restore.isPending}
        onClick={() => restore.mutate({ occupation_id: view.occupation_id, coordinate_id: view.undo_id ?? "", reason: "re-seat undone", unlock: false })}
      >
        Undo the re-seat
      </Button>
      <p className="min-w-0 text-faded">{restore.isError ? sentenceOf(restore.error) : view.undo_words}</p>
    </div>
  );
}
