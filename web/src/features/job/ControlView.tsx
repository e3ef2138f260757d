import { Plus } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useControl, useJobs, useTakeOver } from "../../api/queries";
import { counted, length, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, FileButton, Note, Select, ShowMore, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import type { ViewProps } from "../../ui/view";
import { MarkForm } from "./MarkForm";
import { MarkPanel } from "./MarkPanel";

const FORMATS = ["csv", "geojson", "landxml", "kml", "dxf"];

/** The control list: marks with trusted coordinates. */
export function ControlView({ job, tabs, onFile }: ViewProps & { onFile: (file: File) => void }) {
  const [text, setText] = useState("");
  const [withdrawn, setWithdrawn] = useState(false);
  const [open, setOpen] = useState<Schemas["MarkView"] | "new" | null>(null);
  const marks = useControl(job.id, useDeferredValue(text), withdrawn);
  const others = (useJobs().data ?? []).filter((other) => other.id !== job.id);
  const take = useTakeOver(job.id);
  const first = marks.data?.pages[0];
  const shown = marks.data?.pages.flatMap((page) => page.marks) ?? [];

  if (open === "new") return <MarkForm job={job} onClose={() => setOpen(null)} />;
  if (open) return <MarkPanel job={job} mark={open} withdrawn={withdrawn} onClose={() => setOpen(null)} />;
  return (
    <Page
      title="Control"
      why="The base stands on one of these marks, the checks on the others."
      tabs={tabs}
      action={
        <FileButton
          kind="primary"
          large
          label="Control list file"
          accept=".csv,.txt,.json,.geojson,.xml,.landxml,text/csv"
          onFile={onFile}
        >
          Import a list
        </FileButton>
      }
      aside={
        <ControlWords job={job} />
      }
    >
      <ControlTools text={text} setText={setText} others={others} take={take} setWithdrawn={setWithdrawn} withdrawn={withdrawn} setOpen={setOpen} />
      {take.isError && <Note tone="flag">{sentenceOf(take.error)}</Note>}
      {take.data && (
        <Note tone="checked">
          {counted(take.data.accepted, "mark")} taken over{take.data.refused > 0 && `; ${counted(take.data.refused, "name")} in this list already`}.
        </Note>
      )}
      {marks.isError && <Note tone="flag">{sentenceOf(marks.error)}</Note>}
      {first && first.total === 0 && !withdrawn && (
        <Note>No control yet. Without a known mark nothing can be checked: import the list, or add marks by hand.</Note>
      )}
      {first && first.matching === 0 && (first.total > 0 || withdrawn) && (
        <p>{withdrawn ? "No mark has been taken out." : "No mark matches."}</p>
      )}
      {shown.length > 0 && <MarkTable marks={shown} unit={job.length_unit} onOpen={setOpen} />}
      {first && marks.hasNextPage && (
        <ShowMore busy={marks.isFetchingNextPage} onMore={() => void marks.fetchNextPage()}>
          {first.matching - shown.length} more of {first.matching}: type a part of the name, look on the plan, or
        </ShowMore>
      )}
    </Page>
  );
}

/** How many marks, and what they are for. */
function ControlWords({ job }: { job: Schemas["JobView"] }) {
  return (
    <p className="text-faded">
      Save the list as{" "}
      {FORMATS.map((format) => (
        <a key={format} href={`/api/jobs/${job.id}/control.${format}`} download className="mr-3 inline-block py-2 font-semibold text-ink underline">
          {format === "landxml" ? "LandXML" : format === "geojson" ? "GeoJSON" : format.toUpperCase()}
        </a>
      ))}
    </p>
  );
}

/** Find a mark, or take marks over from another job. */
function ControlTools(props: {
  text: string;
  setText: (value: string) => void;
  others: Schemas["JobView"][];
  take: ReturnType<typeof useTakeOver>;
  setWithdrawn: (value: boolean) => void;
  withdrawn: boolean;
  setOpen: (value: Schemas["MarkView"] | "new" | null) => void;
}) {
  const { text, setText, others, take, setWithdrawn, withdrawn, setOpen } = props;
  return (
    <div className="mb-3 grid grid-cols-1 sm:grid-cols-2 lg:grid-cols-[minmax(10rem,1fr)_15rem_auto_auto] items-end gap-3">
      <TextField label="Find a mark" name="find_mark" value={text} onChange={setText} placeholder="name, note or source" />
      <Select
        label="Take over from another job"
        value=""
        options={[
          { value: "", label: "Choose" },
          ...others.flatMap((other) => (["control", "points"] as const).map((what) => ({ value: `${what} ${other.id}`, label: `${other.name}: ${what}` }))),
        ]}
        onChange={(value) => {
          const [what, id] = value.split(" ");
          if (id) take.mutate({ job_id: id, what: what === "points" ? "points" : "control" });
        }}
      />
      <Button onClick={() => setWithdrawn(!withdrawn)}>{withdrawn ? "Show the list" : "Show marks taken out"}</Button>
      <Button onClick={() => setOpen("new")}>
        <Plus aria-hidden size={18} /> Add a mark
      </Button>
    </div>
  );
}

function MarkTable(props: { marks: Schemas["MarkView"][]; unit: Schemas["JobView"]["length_unit"]; onOpen: (mark: Schemas["MarkView"]) => void }) {
  const { unit } = props;
  const sign = UNIT_SIGN[unit];
  return (
    <CardTable className="w-full border-collapse bg-page text-right">
      <thead className="border-b-2 border-ink text-base">
        <tr>
          <th className="py-2 pl-3 text-left">Mark</th>
          <th>East {sign}</th>
          <th>North {sign}</th>
          <th>Ellipsoidal {sign}</th>
          <th>Elevation {sign}</th>
          <th className="pl-6 text-left">Use</th>
          <th className="pl-6 text-left">Note</th>
        </tr>
      </thead>
      <tbody>
        {props.marks.map((mark) => (
          <tr key={mark.id} className="h-12 cursor-pointer border-b border-line hover:bg-lath/30" onClick={() => props.onOpen(mark)}>
            <td className="pl-3 text-left">
              <button type="button" className="font-bold underline decoration-line underline-offset-4">
                {mark.name}
              </button>
            </td>
            <td>{length(mark.east_m, unit)}</td>
            <td>{length(mark.north_m, unit)}</td>
            <Height metres={mark.ellipsoidal_height_m} unit={unit} derived={mark.height_kind !== "ellipsoidal"} />
            <Height metres={mark.elevation_m} unit={unit} derived={mark.height_kind !== "elevation"} />
            <td className="pl-6 text-left whitespace-nowrap">{mark.check_only ? "check only" : "control"}</td>
            <td className="max-w-64 truncate pl-6 text-left hand:max-w-40">{mark.note}</td>
          </tr>
        ))}
      </tbody>
    </CardTable>
  );
}

/** A height as given in ink, one derived through the geoid in grey. */
function Height({ metres, unit, derived }: { metres: number | null; unit: Schemas["JobView"]["length_unit"]; derived: boolean }) {
  return (
    <td className={derived ? "text-faded" : ""} title={derived && metres !== null ? "through the geoid grid" : undefined}>
      {length(metres, unit)}
    </td>
  );
}
