import { Plus, Volume2, VolumeX, X } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { chooseRover } from "../../api/live";
import { useAddRover, useDropRover } from "../../api/watch";
import { setMuted, useMuted } from "../../lib/alarm";
import { fixed, length, UNIT_SIGN } from "../../lib/format";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { Ports, RefersToSelect, type RefersTo } from "../../ui/feeds";

/** All rovers on this base, each with its name from the kit; one is looked at. */
export function Rovers({ job, view }: { job: Schemas["JobView"]; view: Schemas["InstrumentView"] }) {
  const [adding, setAdding] = useState(false);
  const drop = useDropRover(job.id);
  const shown = view.instrument?.rover_id;
  return (
    <div className={`mb-3 flex flex-col gap-3 ${view.rovers.length > 1 ? "" : "small:order-last small:mt-3"}`}>
      <div className="flex flex-wrap items-center gap-2">
        {view.rovers.map((rover) => (
          <div key={rover.id} className={`flex items-stretch rounded border-2 bg-page ${rover.id === shown ? "border-ink" : "border-line"}`}>
            <button type="button" aria-pressed={rover.id === shown} className="min-h-touch px-4 text-left" onClick={() => chooseRover(rover.id)}>
              <span className="font-bold">{rover.name}</span>{" "}
              <span className="text-base text-faded">
                {rover.status ?? "not heard"}
                {rover.age_s !== null && `, ${fixed(rover.age_s, 1)} s`}
                {rover.horizontal_95_m !== null && `, H ${length(rover.horizontal_95_m, job.length_unit)} ${UNIT_SIGN[job.length_unit]}`}
              </span>
            </button>
            {rover.further && (
              <button type="button" aria-label={`Stop listening to ${rover.name}`} className="min-w-touch border-l-2 border-line px-3" onClick={() => drop.mutate(rover.id)}>
                <X aria-hidden size={18} />
              </button>
            )}
          </div>
        ))}
        <Button aria-expanded={adding} onClick={() => setAdding(!adding)}>
          <Plus aria-hidden size={18} /> Another rover
        </Button>
        <span className="ml-auto">
          <Mute />
        </span>
      </div>
      {drop.isError && <Note tone="flag">{sentenceOf(drop.error)}</Note>}
      {adding && <AddRover job={job} view={view} onDone={() => setAdding(false)} />}
    </div>
  );
}

function Mute() {
  const muted = useMuted();
  const Icon = muted ? VolumeX : Volume2;
  return (
    <Button aria-pressed={muted} title="Sounds when the fix is lost" onClick={() => setMuted(!muted)}>
      <Icon aria-hidden size={20} /> {muted ? "muted" : "sound on"}
    </Button>
  );
}

function AddRover({ job, view, onDone }: { job: Schemas["JobView"]; view: Schemas["InstrumentView"]; onDone: () => void }) {
  const taken = view.rovers.map((rover) => rover.name);
  const names = view.names.filter((name) => !taken.includes(name));
  const [name, setName] = useState(names[0] ?? "");
  const [url, setUrl] = useState("");
  const [refersTo, setRefersTo] = useState<RefersTo | null>(null);
  const add = useAddRover(job.id);
  const problem = problemOf(add.error);
  return (
    <Note>
      <div className="grid grid-cols-1 sm:grid-cols-[14rem_1fr_auto] items-start gap-4">
        <Select
          label="Receiver"
          value={name}
          options={names.map((item) => ({ value: item, label: item }))}
          onChange={setName}
          hint={problem?.field === "name" ? <span className="font-semibold text-flag">{problem.sentence}</span> : "From the kit."}
        />
        <TextField
          label="Its NMEA"
          name="further_url"
          value={url}
          onChange={setUrl}
          placeholder={view.practice ? "empty: a second stand-in" : "serial:///dev/rfcomm1?baud=115200"}
          problem={problem && problem.field !== "name" && problem.field !== "refers_to" ? problem.sentence : null}
          hint="What its position refers to is taken from the kit."
        />
        <Button
          kind="primary"
          className="mt-8"
          disabled={add.isPending || !name}
          onClick={() => add.mutate({ name, url, refers_to: refersTo }, { onSuccess: (made) => (chooseRover(made.rover_id ?? null), onDone()) })}
        >
          Listen
        </Button>
      </div>
      {!view.practice && (
        <div className="mt-3">
          <Ports onTake={setUrl} />
        </div>
      )}
      {(problem?.field === "refers_to" || refersTo) && (
        <div className="mt-3 max-w-xl">
          <RefersToSelect
            label="Its position refers to"
            value={refersTo}
            onChange={setRefersTo}
            problem={problem?.field === "refers_to" ? problem.sentence : null}
          />
        </div>
      )}
    </Note>
  );
}
