import { Radio, RadioTower } from "lucide-react";
import { useState } from "react";
import { Problem, problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useGear, useProfiles, useSourceTable, useTakeMountpoint, useTryMountpoint } from "../../api/queries";
import { latitude, longitude } from "../../lib/format";
import { Button, Note, Select, TextField, Toggle } from "../../ui/controls";
import { FindingList } from "../../ui/findings";

type Caster = Schemas["CasterRequest"];
const TYPED = "";

/** A caster before the work: its mountpoints, nearest first, and whether the picked one is connected and sending. */
export function CasterPanel({ job }: { job: Schemas["JobView"] }) {
  const gear = useGear();
  const accounts = (gear.data?.items ?? []).filter((item) => item.kind === "caster");
  const [accountId, setAccountId] = useState<string | null>(null);
  const [typed, setTyped] = useState({ host: "", port: "2101", user: "", password: "", tls: false });
  const [mountpoint, setMountpoint] = useState("");
  const [options, setOptions] = useState({ send_gga: false, push: false });
  const table = useSourceTable(job.id);
  const attempt = useTryMountpoint(job.id);
  const [controller, setController] = useState<AbortController | null>(null);
  const chosen = accountId ?? accounts[0]?.id ?? TYPED;
  const caster: Caster = chosen ? { account_id: chosen } : { ...typed, port: Number(typed.port) || 0 };
  const problem = table.error instanceof Problem ? table.error : problemOf(attempt.error);

  const test = () => {
    const next = new AbortController();
    setController(next);
    attempt.mutate({ body: { caster, mountpoint, seconds: 8, ...options }, signal: next.signal });
  };
  return (
    <section className="flex flex-col gap-4">
      <CasterFields chosen={chosen} accounts={accounts} setAccountId={setAccountId} typed={typed} setTyped={setTyped} problem={problem} table={table} caster={caster} />
      {table.isError && <Note tone="flag">{sentenceOf(table.error)}</Note>}
      {table.data && !table.isError && (
        <Table
          table={table.data}
          picked={mountpoint}
          onPick={(row) => {
            setMountpoint(row.mountpoint);
            // A virtual base is computed for a place: it needs one.
            setOptions({ ...options, send_gga: row.needs_gga });
          }}
        />
      )}
      <div className="grid grid-cols-1 sm:grid-cols-3 items-end gap-5">
        <TextField label="Mountpoint" name="mountpoint" value={mountpoint} onChange={setMountpoint} problem={problem?.field === "mountpoint" ? problem.sentence : null} />
        <Toggle label="Send the job's position" value={options.send_gga} onChange={(send_gga) => setOptions({ ...options, send_gga })} />
        <Toggle label="May a base push to it" value={options.push} onChange={(push) => setOptions({ ...options, push })} />
      </div>
      <div className="flex gap-3">
        <Button kind="primary" disabled={!mountpoint.trim() || attempt.isPending} onClick={test}>
          {attempt.isPending ? "Listening, half a minute at most" : "Test the mountpoint"}
        </Button>
        {attempt.isPending && <Button onClick={() => controller?.abort()}>Cancel</Button>}
      </div>
      {attempt.isError && !controller?.signal.aborted && !problem?.field && <Note tone="flag">{sentenceOf(attempt.error)}</Note>}
      {attempt.data && !attempt.isPending && <MountpointTest heard={attempt.data} />}
      {attempt.data?.connected && <TakeInto job={job} caster={caster} mountpoint={mountpoint} />}
    </section>
  );
}

/** Host, port and account of the caster. */
function CasterFields(props: {
  chosen: string;
  accounts: Schemas["GearView"][];
  setAccountId: (value: string | null) => void;
  typed: { host: string; port: string; user: string; password: string; tls: boolean };
  setTyped: (value: { host: string; port: string; user: string; password: string; tls: boolean }) => void;
  problem: Problem | null;
  table: ReturnType<typeof useSourceTable>;
  caster: Schemas["CasterRequest"];
}) {
  const { chosen, accounts, setAccountId, typed, setTyped, problem, table, caster } = props;
  return (
    <div className="grid grid-cols-1 sm:grid-cols-3 items-start gap-5">
      <Select
        label="Account"
        value={chosen}
        options={[...accounts.map((item) => ({ value: item.id, label: item.name, detail: `${String(item.data.host)}:${String(item.data.port)}` })), { value: TYPED, label: "another, typed" }]}
        onChange={setAccountId}
      />
      {!chosen && (
        <>
          <TextField label="Host" name="caster_host" value={typed.host} onChange={(host) => setTyped({ ...typed, host })} problem={problem?.field === "host" ? problem.sentence : null} />
          <TextField label="Port" name="caster_port" value={typed.port} onChange={(port) => setTyped({ ...typed, port })} problem={problem?.field?.includes("port") ? problem.sentence : null} />
          <TextField label="User" name="caster_user" value={typed.user} onChange={(user) => setTyped({ ...typed, user })} />
          <TextField label="Password" name="caster_password" type="password" value={typed.password} onChange={(password) => setTyped({ ...typed, password })} />
          <Toggle label="Encrypted (TLS)" value={typed.tls} onChange={(tls) => setTyped({ ...typed, tls })} />
        </>
      )}
      <div className="pt-8">
        <Button disabled={table.isPending} onClick={() => table.mutate(caster)}>
          {table.isPending ? "Asking the caster" : "List its mountpoints"}
        </Button>
      </div>
    </div>
  );
}

function Table(props: { table: Schemas["SourceTable"]; picked: string; onPick: (row: Schemas["TableRow"]) => void }) {
  const { table } = props;
  return (
    <div>
      <ul className="max-h-72 overflow-auto border-y-2 border-line bg-page" aria-label="Mountpoints">
        {table.rows.map((row) => (
          <li key={row.mountpoint}>
            <button
              type="button"
              aria-pressed={row.mountpoint === props.picked}
              onClick={() => props.onPick(row)}
              className={`grid min-h-touch w-full grid-cols-1 sm:grid-cols-[10rem_1fr_9rem_8rem] items-center gap-3 border-b border-line px-3 text-left ${row.mountpoint === props.picked ? "bg-checkedwash" : ""}`}
            >
              <b className="truncate">{row.mountpoint}</b>
              <span className="truncate text-base text-faded">
                {[row.place, row.format, row.systems].filter(Boolean).join(", ")}
              </span>
              <span className="text-base">{row.needs_gga ? "needs a position" : row.network ? "network" : "single base"}</span>
              <span className={`text-right font-semibold ${row.far ? "text-flag" : ""}`}>
                {row.distance_km === null ? "place unknown" : `${row.distance_km.toFixed(row.distance_km < 100 ? 1 : 0)} km`}
              </span>
            </button>
          </li>
        ))}
        {table.rows.length === 0 && <li className="px-3 py-2">The table lists no mountpoint: no base is connected.</li>}
      </ul>
      {!table.whole && <p className="text-flag">The table did not arrive whole.</p>}
      {table.refused.length > 0 && (
        <details>
          <summary className="min-h-touch cursor-pointer py-2">{table.refused.length} rows cannot be read</summary>
          {table.refused.map((sentence) => (
            <p key={sentence}>{sentence}</p>
          ))}
        </details>
      )}
    </div>
  );
}

/** Connected and sending are two lights. */
function MountpointTest({ heard }: { heard: Schemas["MountpointHeard"] }) {
  return (
    <div className="flex flex-col gap-3" data-testid="heard">
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-4">
        <Light on={heard.connected} word={heard.connected ? "Connected" : "Not connected"} icon={<Radio aria-hidden size={28} />} detail={heard.outcome ?? ""} />
        <Light
          on={heard.sending}
          word={heard.sending ? "Sending" : "Not sending"}
          icon={<RadioTower aria-hidden size={28} />}
          detail={heard.sending ? `${heard.constellations.join(", ") || "no observables yet"}; messages ${heard.messages.join(", ")}` : ""}
        />
      </div>
      <p>{heard.sentence}</p>
      {heard.stations.map((station) => (
        <p key={`${station.station_id} ${station.latitude_deg}`}>
          Station {station.station_id}, {station.virtual ? "virtual" : "a real base"}, at {latitude(station.latitude_deg)} {longitude(station.longitude_deg)}
          {heard.distance_km !== null && `, ${heard.distance_km.toFixed(1)} km from the job`}.
        </p>
      ))}
      {heard.push && <Note tone={heard.push.connected ? "checked" : "flag"}>{heard.push.sentence}</Note>}
      <FindingList findings={heard.findings} />
    </div>
  );
}

function Light({ on, word, detail, icon }: { on: boolean; word: string; detail: string; icon: React.ReactNode }) {
  return (
    <div className={`flex items-center gap-3 rounded border-2 px-4 py-2 ${on ? "border-checked bg-checkedwash text-checked" : "border-flag bg-flagwash text-flag"}`}>
      {icon}
      <span>
        <span className="block text-2xl leading-7 font-bold">{word}</span>
        <span className="block text-base">{detail}</span>
      </span>
    </div>
  );
}

/** The picked mountpoint goes into a profile of the job: its next version. */
function TakeInto({ job, caster, mountpoint }: { job: Schemas["JobView"]; caster: Caster; mountpoint: string }) {
  const profiles = useProfiles(job.id);
  const take = useTakeMountpoint(job.id);
  const chosen = (profiles.data ?? []).filter((profile) => profile.chosen);
  return (
    <div className="flex flex-wrap items-center gap-3">
      <span className="font-semibold">Put {mountpoint} into</span>
      {chosen.map((profile) => (
        <Button key={profile.id} disabled={take.isPending} onClick={() => take.mutate({ caster, mountpoint, profile_id: profile.id })}>
          {profile.name}
        </Button>
      ))}
      {take.isError && <p className="font-semibold text-flag">{sentenceOf(take.error)}</p>}
      {take.isSuccess && <p>It is in: a new version of the profile.</p>}
    </div>
  );
}
