import { useDeferredValue, useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useApplySolution, usePreviewSolution, useReadSolution, useSolutionFrame } from "../../api/queries";
import { base64Of } from "../../lib/base64";
import { latitude, length, longitude, signed, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, FileButton, Note, Select, TextField } from "../../ui/controls";
import { FindingNote } from "../../ui/findings";
import { TickRow } from "../../ui/ticks";
import { FrameStepChoice } from "./FrameStepChoice";

const EMPTY = { pasted: "", latitude: "", longitude: "", height: "", frame: "", epoch: "", sigma_horizontal: "", sigma_vertical: "", reason: "", refers_to: "" as "" | "mark" | "arp", operation: "" };
type Typed = typeof EMPTY;

const FIELDS: { name: keyof Typed; label: string; placeholder: string; hint?: string; wide?: boolean; lines?: number }[] = [
  { name: "pasted", label: "Pasted in one piece", placeholder: "53 20 14.51234 N; 6 15 36.1234 W; 61.234 m", hint: "Latitude, longitude, ellipsoidal height, on lines of their own or with semicolons; or Earth-centred X, Y, Z.", wide: true, lines: 3 },
  { name: "latitude", label: "or latitude", placeholder: "53 20 14.51234 N" },
  { name: "longitude", label: "longitude", placeholder: "6 15 36.1234 W" },
  { name: "height", label: "ellipsoidal height", placeholder: "61.234 m" },
  { name: "frame", label: "Frame", placeholder: "ETRS89", hint: "As the computation says it." },
  { name: "epoch", label: "Epoch", placeholder: "2026.9" },
  { name: "sigma_horizontal", label: "Sigma, horizontal", placeholder: "10 mm" },
  { name: "sigma_vertical", label: "Sigma, height", placeholder: "20 mm" },
  { name: "reason", label: "Note for the Book", placeholder: "computed by the office, 6 h", wide: true },
];

/** A static solution: typed or pasted, checked against the present coordinate, what moves shown, then locked in. */
export function SolutionForm(props: { job: Schemas["JobView"]; occupationId: string; locked: boolean }) {
  const { job } = props;
  const [typed, setTyped] = useState<Typed>(EMPTY);
  const [accepted, setAccepted] = useState(false);
  const [file, setFile] = useState<{ name: string; content_base64: string } | null>(null);
  const [site, setSite] = useState("");
  const read = useReadSolution(job.id, props.occupationId);
  const offered = read.data ?? null;
  const step = useSolutionFrame(job.id, { occupation_id: props.occupationId, frame: useDeferredValue(typed.frame), epoch: useDeferredValue(typed.epoch) });
  const look = usePreviewSolution(job.id);
  const apply = useApplySolution(job.id);
  const wish = { occupation_id: props.occupationId, ...typed, ...((offered && file) || { name: "", content_base64: "" }), accepted, unlock: props.locked };
  const refused = [apply.error, look.error].find((error) => error instanceof Problem);
  const seen = look.data;
  const stop = seen?.finding.is_stop;
  const change = (name: keyof Typed) => (value: string) => {
    setTyped({ ...typed, [name]: value });
    // What is changed must be looked at again before it is locked in.
    look.reset();
    setAccepted(false);
  };
  const take = async (chosen: File) => {
    const sent = { name: chosen.name, content_base64: await base64Of(chosen) };
    setFile(sent);
    setSite("");
    readIn(sent, "");
  };
  // What stands once in the file is filled in, with its line below it; of what stands there more than once nothing is.
  const readIn = (sent: { name: string; content_base64: string }, of: string) =>
    read.mutate({ ...sent, site: of }, { onSuccess: (found) => (look.reset(), setAccepted(false), setTyped({ ...EMPTY, ...filledIn(found.file.values), refers_to: found.file.refers_to })) });
  const choices = offered?.file.choices ?? [];
  return (
    <>
      <div className="flex flex-wrap items-end gap-4">
        <FileButton label="Solution" accept=".snx,.ssc,.txt,.eml,.asc" onFile={(chosen) => void take(chosen)}>
          Read a SINEX file or a mail
        </FileButton>
        {file && <span>{file.name}</span>}
      </div>
      {file && choices.length > 1 && (
        <SolutionPicker choices={choices} site={site} setSite={setSite} readIn={readIn} file={file} />
      )}
      {read.isError && <Note tone="flag">{sentenceOf(read.error)}</Note>}
      {offered && <Lines values={offered.file.values} typed={typed} onTake={(name, text) => change(name)(text)} />}
      <SolutionFields typed={typed} change={change} refused={refused} offered={offered} step={step} />
      {refused && refused.field !== "operation" && !FIELDS.some((field) => field.name === refused.field) && <Note tone="flag">{sentenceOf(refused)}</Note>}
      {seen && <Moves job={job} seen={seen} />}
      {seen && stop && <TickRow what="I have checked these values; use them anyway" done={accepted} onTick={() => setAccepted(!accepted)} />}
      {seen && props.locked && <Note>The present coordinate is locked as control quality; this one takes its place.</Note>}
      <SolutionActions seen={seen} look={look} wish={wish} stop={stop} accepted={accepted} apply={apply} setTyped={setTyped} setFile={setFile} read={read} />
    </>
  );
}

/** Which of the solutions of a file is the base. */
function SolutionPicker(props: {
  choices: Schemas["SolutionChoice"][];
  site: string;
  setSite: (value: string) => void;
  readIn: (sent: { name: string; content_base64: string }, of: string) => void;
  file: { name: string; content_base64: string };
}) {
  const { choices, site, setSite, readIn, file } = props;
  return (
    <Select
      label={`The file holds ${choices.length} solutions. Which is the base?`}
      value={site}
      options={[{ value: "", label: "choose one: nothing is taken before" }, ...choices.map((item) => ({ value: item.name, label: item.words }))]}
      onChange={(chosen) => {
        setSite(chosen);
        readIn(file, chosen);
      }}
    />
  );
}

/** Look at what moves, then lock it in. */
function SolutionActions(props: {
  seen: Schemas["SolutionPreview"] | undefined;
  look: ReturnType<typeof usePreviewSolution>;
  wish: Parameters<ReturnType<typeof useApplySolution>["mutate"]>[0];
  stop: boolean | undefined;
  accepted: boolean;
  apply: ReturnType<typeof useApplySolution>;
  setTyped: (value: Typed) => void;
  setFile: (value: null) => void;
  read: ReturnType<typeof useReadSolution>;
}) {
  const { seen, look, wish, stop, accepted, apply, setTyped, setFile, read } = props;
  return (
    <div className="flex gap-3">
      <Button kind={seen ? "quiet" : "primary"} disabled={look.isPending} onClick={() => look.mutate(wish)}>
        Look at what moves
      </Button>
      {seen && (
        <Button
          kind="primary"
          disabled={(stop && !accepted) || apply.isPending}
          onClick={() =>
            apply.mutate(wish, {
              onSuccess: () => {
                setTyped(EMPTY);
                setFile(null);
                read.reset();
                look.reset();
              },
            })
          }
        >
          Lock it in
        </Button>
      )}
    </div>
  );
}

/** What a solution says: typed, pasted or filled in of a file. */
function SolutionFields(props: {
  typed: Typed;
  change: (name: keyof Typed) => (value: string) => void;
  refused: Problem | undefined;
  offered: Schemas["SolutionOffered"] | null;
  step: ReturnType<typeof useSolutionFrame>;
}) {
  const { typed, change, refused, offered, step } = props;
  return (
    <div className="grid grid-cols-1 sm:grid-cols-3 gap-x-4 gap-y-2">
      {FIELDS.map((field) => (
        <div key={field.name} className={field.wide ? "col-span-full" : ""}>
          <TextField
            label={field.label}
            name={field.name}
            value={typed[field.name]}
            onChange={change(field.name)}
            placeholder={field.placeholder}
            hint={field.hint}
            {...(field.lines ? { lines: field.lines } : {})}
            problem={refused?.field === field.name ? refused.sentence : null}
          />
        </div>
      ))}
      <Select
        label="The solution is of"
        value={typed.refers_to}
        options={[
          { value: "", label: "choose" },
          { value: "mark", label: "the mark" },
          { value: "arp", label: "the ARP above it" },
        ]}
        onChange={change("refers_to")}
      />
      <p className="col-span-2 self-end pb-2 text-base text-faded">{offered?.antenna ?? "A computation that read the antenna height of the log gives the mark; one that took it as 0 gives the ARP."}</p>
      <div className="col-span-full">
        <FrameStepChoice step={step.data} operation={typed.operation} onOperation={change("operation")} />
      </div>
    </div>
  );
}

type Value = Schemas["SolutionValue"];

/** What is filled in of a file; Earth-centred numbers as one pasted piece. */
function filledIn(values: Value[]): Partial<Typed> {
  const taken = values.filter((value) => value.taken);
  const typed = taken.filter((value) => value.field in EMPTY).map((value) => [value.field, value.text]);
  const centred = taken.filter((value) => !(value.field in EMPTY)).map((value) => value.text);
  return { ...Object.fromEntries(typed), pasted: centred.join("; ") };
}

/** What the file says, each with the line that it stands in; of what stands there more than once, one is taken by a press. */
function Lines(props: { values: Value[]; typed: Typed; onTake: (name: keyof Typed, text: string) => void }) {
  const { values, typed } = props;
  const isTaken = (value: Value) => (value.field in typed ? typed[value.field as keyof Typed] === value.text : typed.pasted.split("; ").includes(value.text));
  return (
    <ul aria-label="What the file says" className="rounded border-2 border-line">
      {values.map((value) => (
        <li key={`${value.field} ${value.number} ${value.text}`} className="grid grid-cols-[7rem_1fr_5rem] items-center gap-3 border-t border-line px-3 py-1 first:border-t-0">
          <span className="text-base text-faded">{value.words}</span>
          <span className="min-w-0">
            <b>{value.text}</b>
            <span className="block text-base wrap-break-word text-faded">
              line {value.number}: {value.line}
            </span>
            {value.problem && <span className="block text-base font-semibold text-flag">Not taken: {value.problem}</span>}
          </span>
          {isTaken(value) ? (
            <span className="text-right font-semibold text-checked">taken</span>
          ) : value.field in typed && !value.problem ? (
            <Button onClick={() => props.onTake(value.field as keyof Typed, value.text)}>Take</Button>
          ) : (
            <span className="text-right text-base text-faded">left</span>
          )}
        </li>
      ))}
    </ul>
  );
}

function Moves({ job, seen }: { job: Schemas["JobView"]; seen: Schemas["SolutionPreview"] }) {
  const unit = job.length_unit;
  return (
    <section aria-label="What moves" className="flex flex-col gap-2">
      <FindingNote finding={seen.finding} />
      <p>
        Read as {latitude(seen.latitude_deg, 9)}, {longitude(seen.longitude_deg, 9)}, {length(seen.height_m, unit)} {UNIT_SIGN[unit]}: solution − present{" "}
        <span className="font-bold">
          {signed(seen.east_m, unit)} E, {signed(seen.north_m, unit)} N, {signed(seen.up_m, unit)} {UNIT_SIGN[unit]} up
        </span>
        .
      </p>
      {seen.points.length === 0 ? (
        <p className="text-faded">Nothing was measured from this base.</p>
      ) : (
        <CardTable className="w-full text-base">
          <thead>
            <tr className="text-left text-faded">
              <th className="font-normal">point</th>
              <th className="font-normal">moves E, N, up ({UNIT_SIGN[unit]})</th>
              <th className="font-normal">against its mark now</th>
              <th className="font-normal">then</th>
            </tr>
          </thead>
          <tbody>
            {seen.points.map((point, place) => (
              <tr key={`${point.name} ${place}`} className="border-t border-line">
                <th className="text-left">{point.name}</th>
                <td>
                  {signed(point.moves_east_m, unit)}, {signed(point.moves_north_m, unit)}, {signed(point.moves_up_m, unit)}
                </td>
                <td>{point.before}</td>
                <td>{point.after}</td>
              </tr>
            ))}
          </tbody>
        </CardTable>
      )}
    </section>
  );
}
