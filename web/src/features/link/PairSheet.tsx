import { Check, Minus, X } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useMend } from "../../api/queries";
import { CardTable } from "../../ui/CardTable";
import { Button, Note } from "../../ui/controls";
import { FindingList } from "../../ui/findings";

type Row = Schemas["PairRow"];

/** Two ends side by side, joined row by row where they agree, open where they do not; a difference is mended by pressing it. */
export function PairSheet({ jobId, pair }: { jobId: string; pair: Schemas["Pair"] }) {
  const mend = useMend(jobId);
  const [open, setOpen] = useState<string | null>(null);
  const rows = pair.rows.filter((row) => row.state !== "not needed");
  const others = pair.findings.filter((item) => !rows.some((row) => row.field === item.field && row.state === "different"));
  const take = (row: Row, end: "base" | "rover") =>
    mend.mutate({ field: row.field, take: end, base_id: pair.base_id, rover_id: pair.rover_id }, { onSuccess: () => setOpen(null) });
  return (
    <section aria-label={`${pair.base} and ${pair.rover}`} className="flex flex-col gap-3">
      <div className={`rounded px-4 py-2 text-2xl font-bold ${pair.agrees ? "bg-checkedwash text-checked" : "bg-flagwash text-flag"}`} data-testid="agrees">
        {pair.agrees ? "Both ends agree" : "The ends do not agree"}
      </div>
      {mend.isError && <Note tone="flag">{sentenceOf(mend.error)}</Note>}
      <CardTable className="beside w-full border-collapse bg-page">
        <thead>
          <tr className="border-b-2 border-ink text-left">
            <th className="w-64 py-2 pl-3" />
            <th className="text-right">{pair.base}</th>
            <th className="w-28" />
            <th>{pair.rover}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const finding = pair.findings.find((item) => item.field === row.field);
            return (
              <RowView
                key={row.field}
                row={row}
                why={finding?.sentence ?? ""}
                open={open === row.field}
                busy={mend.isPending}
                onOpen={() => setOpen(open === row.field ? null : row.field)}
                onTake={(end) => take(row, end)}
              />
            );
          })}
        </tbody>
      </CardTable>
      <FindingList findings={others} />
    </section>
  );
}

const MARKS = { equal: Check, different: X, "not known": Minus, "not needed": Minus };

function RowView(props: { row: Row; why: string; open: boolean; busy: boolean; onOpen: () => void; onTake: (end: "base" | "rover") => void }) {
  const { row } = props;
  const Icon = MARKS[row.state];
  const apart = row.state !== "equal";
  return (
    <>
      <tr className={`h-12 border-b border-line ${apart ? "bg-flagwash" : ""}`}>
        <td className="pl-3 text-faded">{row.label}</td>
        <td className="text-right text-xl font-semibold">{shown(row, row.base)}</td>
        <td className="text-center">
          {apart ? (
            <button
              type="button"
              aria-expanded={props.open}
              onClick={props.onOpen}
              className="inline-flex h-touch items-center gap-1 px-2 font-bold text-flag underline"
            >
              <Icon aria-hidden size={20} /> {row.state}
            </button>
          ) : (
            <Icon aria-label="equal" className="inline text-checked" />
          )}
        </td>
        <td className="text-xl font-semibold">{shown(row, row.rover)}</td>
      </tr>
      {props.open && (
        <tr className="border-b border-line bg-flagwash">
          <td colSpan={4} className="p-3">
            <p className="mb-3 font-semibold">{props.why}</p>
            <div className="flex gap-3">
              {row.base !== null && (
                <Button disabled={props.busy} onClick={() => props.onTake("base")}>
                  Set both to {shown(row, row.base)}
                </Button>
              )}
              {row.rover !== null && (
                <Button disabled={props.busy} onClick={() => props.onTake("rover")}>
                  Set both to {shown(row, row.rover)}
                </Button>
              )}
            </div>
          </td>
        </tr>
      )}
    </>
  );
}

function shown(row: Row, value: Row["base"]): string {
  if (value === null) return "not set";
  if (typeof value === "boolean") return value ? "on" : "off";
  return `${value} ${row.unit}`.trim();
}
