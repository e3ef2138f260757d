import { Radio as RadioIcon } from "lucide-react";
import { useState } from "react";
import { Radio, RadioGroup } from "@headlessui/react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useMarks, useStartBase } from "../../api/queries";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { PracticeStand } from "../../ui/practice";
import { AveragePanel } from "./AveragePanel";
import { HeightFields, HeightPicture, useTypedHeight, type TypedHeight } from "./HeightEntry";

/** Set up the base: mark, height, coordinate, addresses; then start. */
export function StartBase(props: { job: Schemas["Job"]; view: Schemas["BaseView"]; average: Schemas["Average"] | null }) {
  const { job, view, average } = props;
  const marks = useMarks(job.id);
  const start = useStartBase(job.id);
  const [markId, setMarkId] = useState("");
  const [typed, setTyped] = useState<TypedHeight>({ reading: "", feature: "bottom" });
  const [source, setSource] = useState<"mark" | "average">("mark");
  const [feeds, setFeeds] = useState<Feeds>({
    base_url: view.suggested.base_url ?? "",
    base_password: "",
    rover_url: view.suggested.rover_url ?? "",
    station_id: String(view.suggested.station_id),
    refers_to: "arp",
  });
  const { height, problem } = useTypedHeight(job.id, typed);
  const mark = marks.data?.find((item) => item.id === markId);
  const refused = start.error instanceof Problem ? start.error : null;
  const averaged = source === "mark" || (average !== null && !average.running && average.count > 0);
  const missing = !mark ? "Pick the mark." : !height ? "Type the height reading." : !averaged ? waitOf(average) : "";

  const send = () =>
    start.mutate({
      mark_id: markId,
      ...typed,
      source,
      station_id: Number(feeds.station_id),
      base_url: feeds.base_url.trim() || null,
      base_password: feeds.base_password || null,
      rover_url: feeds.rover_url.trim() || null,
      refers_to: feeds.refers_to as "arp" | "mark",
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
          <Select
            label="Mark under the antenna"
            value={markId}
            options={(marks.data ?? []).map((item) => ({ value: item.id, label: item.name, detail: item.note }))}
            onChange={setMarkId}
          />
          {mark && job.practice && <PracticeStand jobId={job.id} who="base" mark={mark} />}
          <HeightFields typed={typed} onChange={setTyped} problem={problem} job={job} />
          <SourceChoice value={source} onChange={setSource} mark={mark} />
          {source === "average" && <AveragePanel jobId={job.id} average={average} suggested={view.suggested.receiver_url ?? ""} />}
          <FeedFields feeds={feeds} onChange={setFeeds} problem={refused} practice={job.practice} />
        </div>
        <div className="flex h-[26rem] flex-col rounded border-2 border-line bg-page p-2">
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
  mark: Schemas["Mark"] | undefined;
}) {
  const unusable = props.mark && props.mark.height_kind !== "ellipsoidal";
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

interface Feeds {
  base_url: string;
  base_password: string;
  rover_url: string;
  station_id: string;
  refers_to: string;
}

function FeedFields(props: {
  feeds: Feeds;
  onChange: (feeds: Feeds) => void;
  problem: Problem | null;
  practice: boolean;
}) {
  const { feeds, onChange } = props;
  const of = (field: string) => (props.problem?.field === field ? props.problem.sentence : null);
  return (
    <details className="rounded border-2 border-line bg-page" open={!props.practice || Boolean(props.problem)}>
      <summary className="flex min-h-touch cursor-pointer items-center px-4 font-semibold">
        Where to listen: base stream and rover
      </summary>
      <div className="grid grid-cols-2 gap-4 p-4 pt-0">
        <TextField
          label="Base stream"
          name="base_url"
          value={feeds.base_url}
          onChange={(base_url) => onChange({ ...feeds, base_url })}
          placeholder="ntrip://user@host:2101/MOUNT"
          hint="Empty if only a radio carries it: then what is on the air stays unchecked."
          problem={of("base_url")}
        />
        <TextField
          label="Caster password"
          type="password"
          value={feeds.base_password}
          onChange={(base_password) => onChange({ ...feeds, base_password })}
          hint={props.practice ? "The stand-in's is known." : "Kept in a file of its own, never shown again."}
        />
        <TextField
          label="Rover NMEA"
          name="rover_url"
          value={feeds.rover_url}
          onChange={(rover_url) => onChange({ ...feeds, rover_url })}
          placeholder="tcp://192.168.1.30:5017"
          problem={of("rover_url")}
        />
        <TextField
          label="Station ID"
          value={feeds.station_id}
          onChange={(station_id) => onChange({ ...feeds, station_id })}
          problem={of("station_id")}
        />
        <Select
          label="The rover's position refers to"
          value={feeds.refers_to}
          options={[
            { value: "arp", label: "its ARP", detail: "the pole is taken off here" },
            { value: "mark", label: "the mark", detail: "the receiver has taken the pole off" },
          ]}
          onChange={(refers_to) => onChange({ ...feeds, refers_to })}
          hint="If this is wrong the pole counts twice: 2 m."
        />
      </div>
    </details>
  );
}
