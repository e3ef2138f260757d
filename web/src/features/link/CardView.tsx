import { Printer, Square, SquareCheck, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useCard, useTickCard } from "../../api/queries";
import { clock } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Note, Progress, Select } from "../../ui/controls";
import { Page } from "../../ui/Page";

/** One card per pair: both ends side by side in working order, ticked off as they are typed. */
export function CardView({ job, pairs, tabs }: { job: Schemas["JobView"]; pairs: Schemas["Pair"][]; tabs: React.ReactNode }) {
  const [picked, setPicked] = useState("");
  const pair = pairs.find((item) => item.rover_id === picked) ?? pairs[0];
  if (!pair)
    return (
      <Page title="Setup card" why="What is typed into both ends." tabs={tabs}>
        <Note>Choose a base profile and a rover profile for this job under Kit: their card is made here.</Note>
      </Page>
    );
  return (
    <OneCard key={`${pair.base_id} ${pair.rover_id}`} job={job} pair={pair} tabs={tabs}>
      {pairs.length > 1 && (
        <div className="mb-3 w-96">
          <Select
            label="Rover"
            value={pair.rover_id}
            options={pairs.map((item) => ({ value: item.rover_id, label: item.rover }))}
            onChange={setPicked}
          />
        </div>
      )}
      {!pair.agrees && (
        <div className="mb-3">
          <Note tone="flag">The two ends do not agree: mend them under Both ends before anybody types from this card.</Note>
        </div>
      )}
    </OneCard>
  );
}

function OneCard(props: { job: Schemas["JobView"]; pair: Schemas["Pair"]; tabs: React.ReactNode; children: React.ReactNode }) {
  const { job, pair } = props;
  const query = { base_id: pair.base_id, rover_id: pair.rover_id };
  const card = useCard(job.id, query);
  const tick = useTickCard(job.id);
  const lines = card.data?.lines ?? [];
  const done = lines.filter((line) => line.done).length;
  const address = `/api/jobs/${job.id}/link/card.pdf?${new URLSearchParams(query).toString()}`;
  return (
    <Page
      title="Setup card"
      why="Type it into both ends, top to bottom, and tick. Read back what the devices show."
      tabs={props.tabs}
      aside={
        <div className="flex items-center gap-6">
          <span className="text-3xl font-bold whitespace-nowrap" data-testid="carded">
            {done} of {lines.length}
          </span>
          <Progress label="Ticked" value={done} most={Math.max(lines.length, 1)} />
        </div>
      }
      action={
        <a href={address} download className="inline-flex h-record items-center gap-2 rounded border-2 border-act bg-act px-8 text-2xl font-bold text-onact">
          <Printer aria-hidden /> Card as PDF
        </a>
      }
    >
      {props.children}
      {card.isError && <Note tone="flag">{sentenceOf(card.error)}</Note>}
      {tick.isError && <Note tone="flag">{sentenceOf(tick.error)}</Note>}
      <ul className="mb-3 flex flex-col gap-1">
        {card.data?.cautions.map((caution) => (
          <li key={caution} className="flex items-center gap-2 font-semibold">
            <TriangleAlert aria-hidden size={20} className="shrink-0 text-flag" /> {caution}
          </li>
        ))}
      </ul>
      <CardLines card={card} lines={lines} job={job} tick={tick} query={query} />
    </Page>
  );
}

/** The lines of the card, each to be ticked at both ends. */
function CardLines(props: {
  card: ReturnType<typeof useCard>;
  lines: Schemas["CardLineView"][];
  job: Schemas["JobView"];
  tick: ReturnType<typeof useTickCard>;
  query: Schemas["PairQuery"];
}) {
  const { card, lines, job, tick, query } = props;
  return (
    <CardTable className="w-full table-fixed border-collapse bg-page">
      <thead>
        <tr className="border-b-2 border-ink text-left">
          <th className="w-[22rem] py-2 pl-3">
            <span className="sr-only">What</span>
          </th>
          <th>{card.data?.base}</th>
          <th>{card.data?.rover}</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => (
          <LineView
            key={line.key}
            line={line}
            zone={job.time_zone}
            onTick={() => tick.mutate({ ...query, key: line.key, done: !line.done })}
          />
        ))}
      </tbody>
    </CardTable>
  );
}

function LineView({ line, zone, onTick }: { line: Schemas["CardLineView"]; zone: string; onTick: () => void }) {
  const Icon = line.done ? SquareCheck : Square;
  return (
    <tr className={`border-b border-line ${line.done ? "text-faded" : ""}`}>
      <td className="pr-3 pl-2">
        <button type="button" role="checkbox" aria-checked={line.done} onClick={onTick} className="flex min-h-touch w-full items-center gap-3 text-left">
          <Icon aria-hidden className={`shrink-0 ${line.done ? "text-checked" : ""}`} />
          <span className="leading-5">
            {line.words}
            {line.at_s !== null && <time className="ml-2 text-base text-faded">{clock(line.at_s, zone).slice(0, 5)}</time>}
          </span>
        </button>
      </td>
      <td className="py-1 pr-3 text-xl leading-6 font-semibold">{line.base}</td>
      <td className="py-1 text-xl leading-6 font-semibold">{line.rover}</td>
    </tr>
  );
}
