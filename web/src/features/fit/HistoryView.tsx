import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useFitCompared, useFitHistory, useUndoFit } from "../../api/fit";
import { clock, day, decimal, length, partsPerMillion, signed, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import type { FitViewProps } from "./props";

/** Every fit that was chosen; two of them beside each other. */
export function HistoryView({ job, fit, tabs }: FitViewProps) {
  const history = useFitHistory(job.id);
  const undo = useUndoFit(job.id);
  const [picked, setPicked] = useState<string[]>([]);
  const [other, one] = [...picked].sort((a, b) => place(a) - place(b));
  const compared = useFitCompared(job.id, { one: picked.length === 2 ? one! : "", other: picked.length === 2 ? other! : "" });
  const fits = history.data ?? [];
  function place(id: string) {
    return (history.data ?? []).findIndex((item) => item.id === id);
  }
  const pick = (id: string) => setPicked(picked.includes(id) ? picked.filter((item) => item !== id) : [...picked, id].slice(-2));
  const unit = job.length_unit;
  return (
    <Page
      title="History"
      why="Each choice and what came out. Pick two to compare them."
      tabs={tabs}
      aside={undo.isError ? <p className="font-semibold text-flag">{sentenceOf(undo.error)}</p> : <p className="text-faded">{fit.undo_words ? `Undo takes back: ${fit.undo_words}.` : "Nothing to undo."}</p>}
      action={
        <Button kind="primary" large disabled={!fit.undo_words || undo.isPending} onClick={() => fit.chosen_id && undo.mutate({ replaces_id: fit.chosen_id })}>
          Undo
        </Button>
      }
    >
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-6">
        {fits.length === 0 && <Note>Nothing was chosen yet.</Note>}
        <ul className="flex flex-col gap-1" aria-label="Fits, newest first">
          {fits.map((item) => (
            <li key={item.id}>
              <button
                type="button"
                aria-pressed={picked.includes(item.id)}
                disabled={!item.solved}
                onClick={() => pick(item.id)}
                className={`w-full rounded border-2 bg-page px-3 py-2 text-left leading-5 disabled:opacity-60 ${picked.includes(item.id) ? "border-ink bg-lath/40" : "border-line"}`}
              >
                <span className="block font-bold">{item.words}</span>
                <span className="block text-base text-faded">
                  {day(item.at_s, job.time_zone)} {clock(item.at_s, job.time_zone)}. {item.result}
                </span>
              </button>
            </li>
          ))}
        </ul>
        <div>
          {compared.isError && <Note tone="flag">{sentenceOf(compared.error)}</Note>}
          {compared.data && picked.length === 2 && (
            <Compared fits={compared.data} unit={unit} />
          )}
        </div>
      </div>
    </Page>
  );
}

/** Two fits side by side, mark by mark. */
function Compared({ fits, unit }: { fits: NonNullable<ReturnType<typeof useFitCompared>["data"]>; unit: Schemas["JobView"]["length_unit"] }) {
  return (
    <section aria-label="Two fits compared">
      <p className="text-5xl font-bold whitespace-nowrap" data-testid="fits-apart">
        {length(fits.largest_m, unit)} <span className="text-xl">{UNIT_SIGN[unit]} apart at most</span>
      </p>
      <p className="mb-2">
        Scale by {partsPerMillion(fits.scale_ppm)} ppm, rotation by {decimal(fits.rotation_deg, 5)}°: the later − the earlier.
      </p>
      <CardTable className="w-full text-right">
        <thead>
          <tr className="border-b-2 border-line text-faded">
            <th className="text-left font-semibold">mark</th>
            <th className="font-semibold">east</th>
            <th className="font-semibold">north</th>
            <th className="font-semibold">height</th>
          </tr>
        </thead>
        <tbody>
          {fits.marks.map((mark) => (
            <tr key={mark.name} className="border-b border-line">
              <td className="py-1 text-left font-bold">{mark.name}</td>
              <td>{signed(mark.east_m, unit)}</td>
              <td>{signed(mark.north_m, unit)}</td>
              <td>{signed(mark.up_m, unit)}</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
    </section>
  );
}
