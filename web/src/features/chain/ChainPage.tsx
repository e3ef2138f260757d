import { useState } from "react";
import { Link } from "react-router";
import { sentenceOf, type Schemas } from "../../api/client";
import { useChain } from "../../api/chain";
import { length, UNIT_SIGN } from "../../lib/format";
import { Cord } from "../../plots/Cord";
import { LinkButton, Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import { Tabs, useView } from "../../ui/Tabs";
import { BudgetNumbers } from "./BudgetNumbers";
import { FindingsView } from "./FindingsView";
import { MorningView } from "./MorningView";
import { WhatIfView } from "./WhatIfView";
import type { ChainViewProps } from "./props";

const VIEWS = [
  { view: "chain", label: "Chain" },
  { view: "whatif", label: "What if" },
  { view: "findings", label: "Findings" },
  { view: "morning", label: "Morning" },
] as const;

/** The front page of a job: what a coordinate hangs on, how good it is, and what to do next. */
export function ChainPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const chain = useChain(job.id);
  const shown = VIEWS.filter((item) => item.view !== "morning" || chain.data?.morning);
  const tabs = <Tabs views={shown} value={view} onChange={setView} />;
  if (!chain.data)
    return (
      <Page title="Chain" why="" tabs={tabs}>
        {chain.isError && <Note tone="flag">{sentenceOf(chain.error)}</Note>}
      </Page>
    );
  const props = { job, chain: chain.data, tabs };
  if (view === "whatif") return <WhatIfView {...props} />;
  if (view === "findings") return <FindingsView {...props} />;
  if (view === "morning" && chain.data.morning) return <MorningView {...props} morning={chain.data.morning} />;
  return <Links {...props} />;
}

function Links({ job, chain, tabs }: ChainViewProps) {
  const [picked, setPicked] = useState<string | null>(null);
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const link = chain.links.find((item) => item.name === (picked ?? chain.weakest.name)) ?? chain.links[0]!;
  const { budget, next } = chain;
  return (
    <Page
      title="Chain"
      why="What a coordinate from here depends on. Whole where something independent agrees; evidence, not a certificate."
      tabs={tabs}
      aside={next ? <p className="text-xl font-bold">{next.words}</p> : <p className="text-faded">Every link is checked. It stays so until something changes.</p>}
      action={next && <LinkButton to={`/job/${job.id}/${next.page}`}>{next.press}</LinkButton>}
    >
      <div className="hand:hidden">
        <Cord stakes={chain.links.map(({ name, state }) => ({ name, state }))} picked={link.name} weakest={chain.weakest.name} onPick={setPicked} />
      </div>
      <Stakes links={chain.links} picked={link.name} weakest={chain.weakest.name} onPick={setPicked} />
      <div className="mt-2 grid grid-cols-1 sm:grid-cols-2 gap-4">
        <LinkCard link={link} unit={unit} sign={sign} job={job} />
        <section aria-label="Error budget" className="rounded border-2 border-line bg-page px-4 py-2">
          <BudgetNumbers shown={budget} unit={unit} />
          <p className="mt-2 border-t border-line pt-2 text-lg leading-6">
            <b>Weakest link</b>: {chain.weakest.words}
          </p>
          {chain.findings.length > 0 && (
            <p className={chain.stops > 0 ? "font-bold text-flag" : "font-semibold"}>
              <Link to={`/job/${job.id}/chain?view=findings`} className="underline">
                {chain.findings.length} open {chain.findings.length === 1 ? "finding" : "findings"}
                {chain.stops > 0 && `, ${chain.stops} ${chain.stops === 1 ? "says" : "say"} stop`}
              </Link>
            </p>
          )}
        </section>
      </div>
    </Page>
  );
}

/** One link: how good, why, its evidence, and what is due. */
function LinkCard({ link, unit, sign, job }: { link: Schemas["Link"]; unit: Schemas["JobView"]["length_unit"]; sign: string; job: Schemas["JobView"] }) {
  return (
    <section className="rounded border-2 border-line bg-page px-4 py-2" aria-label={`Link ${link.name}`}>
      <h2 className="flex items-center gap-3 text-xl font-bold">
        <StateMark state={link.state} size={26} /> {link.name}
        <span className={`font-semibold ${link.state === "disagrees" ? "text-flag" : "text-faded"}`}>{link.state}</span>
      </h2>
      {!link.seen.some((seen) => seen.words === link.why) && <p className="leading-6">{link.why}</p>}
      <dl className="mt-1 grid grid-cols-[6rem_minmax(0,1fr)] leading-6">
        <Row name="meant" value={link.meant} />
        <Row name="observed" value={link.observed} />
        <Row name="difference" value={link.difference} />
        <Row name="one sigma" value={link.sigma_m === null ? "" : `${length(link.sigma_m, unit)} ${sign}`} />
      </dl>
      {link.seen.length > 0 && (
        <ul className="mt-1 border-t border-line" aria-label="Evidence">
          {link.seen.map((seen) => (
            <li key={seen.words}>
              <Link to={`/job/${job.id}/${seen.page}`} className="flex min-h-touch items-center leading-5 underline">
                {seen.words}
              </Link>
            </li>
          ))}
        </ul>
      )}
      {link.due && (
        <p className="mt-1 border-t border-line pt-1 leading-6">
          <b>Next: </b>
          {link.due.words}{" "}
          <Link to={`/job/${job.id}/${link.due.page}`} className="underline">
            {link.due.press}
          </Link>
        </p>
      )}
    </section>
  );
}

/** The chain in the hand: the same links, three beside each other. */
function Stakes(props: { links: Schemas["ChainView"]["links"]; picked: string; weakest: string; onPick: (name: string) => void }) {
  return (
    <ol aria-label="The chain, link by link" className="hidden grid-cols-3 gap-1 hand:grid">
      {props.links.map(({ name, state }) => (
        <li key={name}>
          <button
            type="button"
            aria-pressed={name === props.picked}
            onClick={() => props.onPick(name)}
            className={`flex min-h-16 w-full flex-col items-start rounded border-2 px-1.5 py-1 text-left text-base leading-5 ${name === props.picked ? "border-ink bg-lath/35" : "border-line bg-page"}`}
          >
            <span className="flex items-center gap-1 font-bold">
              <StateMark state={state} size={18} /> {name}
            </span>
            <span className={`text-base leading-4 ${state === "disagrees" ? "font-bold text-flag" : "text-faded"}`}>
              {state}
              {name === props.weakest && state !== "disagrees" && ", weakest"}
            </span>
          </button>
        </li>
      ))}
    </ol>
  );
}

function Row({ name, value }: { name: string; value: string }) {
  if (!value) return null;
  return (
    <>
      <dt className="text-faded">{name}</dt>
      <dd className="font-semibold">{value}</dd>
    </>
  );
}
