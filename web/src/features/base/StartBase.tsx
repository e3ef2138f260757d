import { Radio as RadioIcon } from "lucide-react";
import { useState } from "react";
import { Radio, RadioGroup } from "@headlessui/react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useStartBase } from "../../api/queries";
import { Button, Note, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { MarkPicker, useCurrentMark } from "../../ui/marks";
import { PracticeStand } from "../../ui/practice";
import { AveragePanel } from "./AveragePanel";
import { FeedFields, feedsOf, listenOf } from "./FeedFields";
import { HeightFields, HeightPicture, useTypedHeight, type TypedHeight } from "./HeightEntry";

/** Set up the base: mark, height, coordinate, addresses; then start. */
export function StartBase(props: { job: Schemas["Job"]; view: Schemas["BaseView"]; average: Schemas["Average"] | null }) {
  const { job, view, average } = props;
  const start = useStartBase(job.id);
  const [picked, setPicked] = useState<Schemas["Mark"] | null>(null);
  const [typed, setTyped] = useState<TypedHeight>({ reading: "", feature: "bottom" });
  const [source, setSource] = useState<"mark" | "average">("mark");
  const [feeds, setFeeds] = useState(feedsOf(view.suggested.base_url, view.suggested.rover_url, view.suggested.refers_to));
  const [stationId, setStationId] = useState(String(view.suggested.station_id));
  const { height, problem } = useTypedHeight(job.id, typed);
  const mark = useCurrentMark(job.id, picked);
  const refused = start.error instanceof Problem ? start.error : null;
  const averaged = source === "mark" || (average !== null && !average.running && average.count > 0);
  const missing = !mark ? "Pick the mark." : !height ? "Type the height reading." : !averaged ? waitOf(average) : "";

  const send = () =>
    start.mutate({
      mark_id: mark?.id ?? "",
      ...typed,
      source,
      station_id: Number(stationId),
      listen: listenOf(feeds),
    });

  return (
    <Page
      title="Base"
      why="Over which mark, how high, and with which coordinate."
      aside={
        start.isError ? (
          <p className="font-semibold text-flag">{sentenceOf(start.error)}</p>
        ) : (
          <p className="text-faded">
            {missing || "Screw the antenna on before power. Check level and plumb once more."}
          </p>
        )
      }
      action={
        <Button kind="primary" large disabled={Boolean(missing) || start.isPending} onClick={send}>
          <RadioIcon aria-hidden /> Start the base
        </Button>
      }
    >
      <div className="grid grid-cols-[3fr_2fr] gap-6">
        <div className="flex min-w-0 flex-col gap-5">
          <MarkPicker jobId={job.id} label="Mark under the antenna" value={mark} onPick={setPicked} />
          {mark && job.practice && <PracticeStand jobId={job.id} who="base" mark={mark} />}
          <HeightFields typed={typed} onChange={setTyped} problem={problem} job={job} />
          <SourceChoice value={source} onChange={setSource} mark={mark} />
          {source === "average" && <AveragePanel jobId={job.id} average={average} suggested={view.suggested.receiver_url ?? ""} />}
          <details className="rounded border-2 border-line bg-page" open={!job.practice || Boolean(refused)}>
            <summary className="flex min-h-touch cursor-pointer items-center px-4 font-semibold">
              Where to listen: base stream and rover
            </summary>
            <div className="px-4 pb-4">
              <FeedFields feeds={feeds} onChange={setFeeds} problem={refused} practice={job.practice}>
                <TextField
                  label="Station ID"
                  value={stationId}
                  onChange={setStationId}
                  problem={refused?.field === "station_id" ? refused.sentence : null}
                />
              </FeedFields>
            </div>
          </details>
        </div>
        <div className="sticky top-0 flex h-[26rem] flex-col rounded border-2 border-line bg-page p-2">
          <HeightPicture height={height} />
        </div>
      </div>
    </Page>
  );
}

function waitOf(average: Schemas["Average"] | null): string {
  if (average?.running) return `Averaging: ${average.elapsed_s.toFixed(0)} of ${average.seconds.toFixed(0)} s.`;
  return "Average the position first.";
}

const SOURCES = [
  {
    value: "mark",
    title: "From the known mark",
    gives: "Best: right to about a centimetre and the same next time. Ask for a check on a second mark.",
  },
  {
    value: "average",
    title: "Average of what the receiver reports now",
    gives: "Metres off, however long it is averaged. For relative work, until the base is re-seated on a known mark.",
  },
] as const;

function SourceChoice(props: {
  value: "mark" | "average";
  onChange: (value: "mark" | "average") => void;
  mark: Schemas["Mark"] | null;
}) {
  const unusable = props.mark && props.mark.ellipsoidal_height_m === null;
  return (
    <RadioGroup value={props.value} onChange={props.onChange} aria-label="Coordinate of the base">
      <p className="mb-1 font-semibold">Coordinate of the base</p>
      <div className="grid grid-cols-2 gap-3">
        {SOURCES.map((source) => (
          <Radio
            key={source.value}
            value={source.value}
            className="cursor-pointer rounded border-2 border-line bg-page px-4 py-2 data-checked:border-ink data-checked:shadow-[inset_6px_0_0_var(--grain)]"
          >
            <span className="block font-bold">{source.title}</span>
            <span className="block text-base leading-5 text-faded">{source.gives}</span>
          </Radio>
        ))}
      </div>
      {unusable && props.value === "mark" && (
        <div className="mt-2">
          <Note tone="flag">{props.mark?.name} has no ellipsoidal height, so its coordinate cannot be broadcast.</Note>
        </div>
      )}
    </RadioGroup>
  );
}
