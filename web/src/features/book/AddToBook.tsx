import { CloudRain, NotebookPen, Users } from "lucide-react";
import { useState } from "react";
import { useAddBookPhoto, useAddNote, useAddPeople, useAddWeather } from "../../api/book";
import { Problem, problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useWho } from "../../api/hand";
import { Button, FileButton, PICTURES, TextField } from "../../ui/controls";

/** Four of them share the foot of a phone. */
const IN_A_ROW = "h-record! hand:flex-1 small:min-w-0 small:flex-col small:gap-0! small:px-0! small:text-base! small:leading-4!";

type What = "note" | "weather" | "people" | null;

/** What the crew adds in a few taps: a note, the weather, who is on site, a photo. */
export function AddToBook({ job, weather }: { job: Schemas["JobView"]; weather: Schemas["Weather"] }) {
  const [what, setWhat] = useState<What>(null);
  const photo = useAddBookPhoto(job.id);
  const close = () => setWhat(null);
  return (
    <div className="relative flex gap-2 small:gap-1">
      {what && (
        <section aria-label="Add to the Book" className="absolute right-0 bottom-full z-20 mb-5 w-[34rem] rounded border-2 border-ink bg-page p-4 hand:max-w-full small:fixed small:inset-x-0 small:bottom-22 small:mb-0 small:w-full">
          {what === "note" && <NoteForm job={job} onClose={close} />}
          {what === "weather" && <WeatherForm job={job} weather={weather} onClose={close} />}
          {what === "people" && <PeopleForm job={job} onClose={close} />}
        </section>
      )}
      {photo.isError && <p className="max-w-64 self-center small:absolute small:bottom-full small:bg-page font-semibold text-flag">{sentenceOf(photo.error)}</p>}
      <Button className={IN_A_ROW} aria-expanded={what === "weather"} onClick={() => setWhat(what === "weather" ? null : "weather")}>
        <CloudRain aria-hidden /> Weather
      </Button>
      <Button className={IN_A_ROW} aria-expanded={what === "people"} onClick={() => setWhat(what === "people" ? null : "people")}>
        <Users aria-hidden /> On site
      </Button>
      <FileButton label="Photo for the Book" accept={PICTURES} onFile={(file) => photo.mutate(file)} disabled={photo.isPending} large className={IN_A_ROW}>
        Photo
      </FileButton>
      <Button kind="primary" large className={IN_A_ROW} aria-expanded={what === "note"} onClick={() => setWhat(what === "note" ? null : "note")}>
        <NotebookPen aria-hidden /> Note
      </Button>
    </div>
  );
}

interface FormProps {
  job: Schemas["JobView"];
  onClose: () => void;
}

function Foot(props: { busy: boolean; error: unknown; onKeep: () => void; onClose: () => void }) {
  const problem = problemOf(props.error);
  return (
    <div className="mt-3 flex items-center gap-3">
      <Button kind="primary" disabled={props.busy} onClick={props.onKeep}>
        Write it
      </Button>
      <Button onClick={props.onClose}>Close</Button>
      {props.error !== null && !problem?.field && <p className="font-semibold text-flag">{sentenceOf(props.error)}</p>}
    </div>
  );
}

const fieldOf = (error: unknown, field: string) => (error instanceof Problem && error.field === field ? error.sentence : null);

function NoteForm({ job, onClose }: FormProps) {
  const add = useAddNote(job.id);
  const [words, setWords] = useState("");
  const [who, setWho] = useState(useWho());
  return (
    <>
      <TextField label="Note" name="book_note" value={words} onChange={setWords} lines={3} autoFocus problem={fieldOf(add.error, "words")} />
      <div className="mt-2 w-40">
        <TextField label="Who" name="book_who" value={who} onChange={setWho} placeholder="initials" />
      </div>
      <Foot busy={add.isPending} error={add.error} onKeep={() => add.mutate({ words, who }, { onSuccess: onClose })} onClose={onClose} />
    </>
  );
}

function WeatherForm({ job, weather, onClose }: FormProps & { weather: Schemas["Weather"] }) {
  const add = useAddWeather(job.id);
  const [picked, setPicked] = useState({ sky: "", falling: "", wind: "" });
  const [degrees, setDegrees] = useState("");
  return (
    <>
      {(["sky", "falling", "wind"] as const).map((part) => (
        <div key={part} role="radiogroup" aria-label={part} className="mb-2 flex flex-wrap gap-1">
          {weather[part].map((word) => (
            <button
              key={word}
              type="button"
              role="radio"
              aria-checked={picked[part] === word}
              onClick={() => setPicked({ ...picked, [part]: picked[part] === word ? "" : word })}
              className={`min-h-touch rounded border-2 px-4 ${picked[part] === word ? "border-act bg-act font-bold text-onact" : "border-line bg-page"}`}
            >
              {word}
            </button>
          ))}
        </div>
      ))}
      <div className="w-40">
        <TextField
          label="Degrees, °C"
          name="degrees"
          value={degrees}
          onChange={setDegrees}
          problem={fieldOf(add.error, "degrees") ?? fieldOf(add.error, "sky")}
        />
      </div>
      <Foot
        busy={add.isPending}
        error={add.error}
        onKeep={() => add.mutate({ ...picked, degrees }, { onSuccess: onClose })}
        onClose={onClose}
      />
    </>
  );
}

function PeopleForm({ job, onClose }: FormProps) {
  const add = useAddPeople(job.id);
  const [names, setNames] = useState("");
  return (
    <>
      <TextField label="On site, parted by commas" name="people" value={names} onChange={setNames} autoFocus problem={fieldOf(add.error, "names")} />
      <Foot busy={add.isPending} error={add.error} onKeep={() => add.mutate({ names: names.split(",") }, { onSuccess: onClose })} onClose={onClose} />
    </>
  );
}
