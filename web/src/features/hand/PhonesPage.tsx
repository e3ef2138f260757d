import { useState } from "react";
import { Link } from "react-router";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useEndSession, useHand, useSession, useSetPassphrase, useSignOut } from "../../api/hand";
import { clock, day } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { More } from "../../ui/More";

/** Pair a phone: where it finds the program, and who is connected. */
export function PhonesPage() {
  const session = useSession();
  const here = session.data?.here ?? false;
  const hand = useHand(here);
  const view = hand.data;
  return (
    <main className="mx-auto flex min-h-dvh max-w-5xl flex-col gap-5 px-6 py-6 text-lg small:px-4">
      <Link to="/" className="flex min-h-touch items-center self-start font-semibold underline">
        All jobs
      </Link>
      <h1 className="text-3xl font-bold">{here ? "Pair a phone" : "This phone"}</h1>
      {!here && <ThisPhone who={session.data?.who ?? ""} />}
      {hand.isError && <Note tone="flag">{sentenceOf(hand.error)}</Note>}
      {view && (
        <>
          {view.why_not && <Note tone="flag">{view.why_not}</Note>}
          {view.code && <CodeInAWait view={view} />}
          {view.ways_in.length > 0 && view.has_passphrase && <WaysIn view={view} />}
          {view.ways_in.length > 0 && !view.has_passphrase && <Passphrase />}
          {view.has_passphrase && <WhoIsIn view={view} />}
          {view.has_passphrase && (
            <More title="Another passphrase">
              <Passphrase />
            </More>
          )}
          {view.fingerprint && (
            <More title="Let the phone trust this program">
              <Trust fingerprint={view.fingerprint} own={view.own_certificate} />
            </More>
          )}
        </>
      )}
    </main>
  );
}

/** Somebody types wrong passphrases: with this code a phone of the crew does not wait for him. */
function CodeInAWait({ view }: { view: Schemas["HandView"] }) {
  return (
    <Note tone="flag">
      {view.code_words}
      <span className="block text-3xl font-bold whitespace-nowrap">{view.code}</span>
    </Note>
  );
}

/** On the phone itself: under whose name it writes, the way out, and how to trust the program. */
function ThisPhone({ who }: { who: string }) {
  const signOut = useSignOut();
  return (
    <>
      <div className="flex items-center justify-between gap-4 rounded border-2 border-line bg-page px-4 py-3">
        <p className="min-w-0">
          What is recorded here is written by <span className="text-xl font-bold">{who}</span>.
        </p>
        <Button kind="danger" className="shrink-0 whitespace-nowrap!" disabled={signOut.isPending} onClick={() => signOut.mutate()}>
          Sign out
        </Button>
      </div>
      <Trust fingerprint="" />
      <p className="text-faded">Other phones are let in, and ended, on the machine that the program runs on.</p>
    </>
  );
}

function WaysIn({ view }: { view: Schemas["HandView"] }) {
  return (
    <ul className="flex flex-wrap gap-4">
      {view.ways_in.map((way) => (
        <li key={way.url} className="flex flex-1 items-center gap-6 rounded border-2 border-line bg-page p-4 small:flex-col">
          {/* A camera needs black on white, in every theme. */}
          <img src={way.qr_picture} alt={`QR code of ${way.url}`} className="size-56 shrink-0 bg-white" />
          <div className="min-w-0">
            <p className="text-faded">Point the phone's camera at it, or type</p>
            <p className="text-2xl font-bold break-all">{way.url}</p>
            <p className="mt-3">
              The phone must be in this machine's Wi-Fi.{" "}
              {!view.own_certificate && "Its browser warns once, because nobody else vouches for this machine."}
            </p>
            <p className="mt-3 text-faded">{view.hint ? `Passphrase: ${view.hint}` : "The passphrase has no hint."}</p>
          </div>
        </li>
      ))}
    </ul>
  );
}

function WhoIsIn({ view }: { view: Schemas["HandView"] }) {
  const end = useEndSession();
  return (
    <section aria-label="Connected" className="flex flex-col gap-2">
      <div className="flex items-center justify-between gap-4">
        <h2 className="text-2xl font-bold">Connected</h2>
        {view.connected.length > 1 && (
          <Button kind="danger" onClick={() => end.mutate("")}>
            End all
          </Button>
        )}
      </div>
      {end.isError && <Note tone="flag">{sentenceOf(end.error)}</Note>}
      {view.connected.length === 0 && <p className="text-faded">Nobody yet.</p>}
      <ul className="flex flex-col gap-2">
        {view.connected.map((item) => (
          <li key={item.session_id} className="flex items-center justify-between gap-4 rounded border-2 border-line bg-page px-4 py-2">
            <p className="min-w-0">
              <span className="text-xl font-bold">{item.who}</span>, {item.device} at {item.address}
              <span className="block text-base text-faded">
                since {day(item.since_s)} {clock(item.since_s).slice(0, 5)}, {item.streams > 0 ? "looking now" : `last seen ${clock(item.seen_s)}`}
              </span>
            </p>
            <Button kind="danger" onClick={() => end.mutate(item.session_id)}>
              End
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Passphrase() {
  const set = useSetPassphrase();
  const [typed, setTyped] = useState({ passphrase: "", again: "", hint: "" });
  const problem = problemOf(set.error);
  const of = (field: string) => (problem?.field === field ? problem.sentence : null);
  return (
    <form
      className="grid gap-4 rounded border-2 border-line bg-page p-4 grid-cols-1 sm:grid-cols-2"
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate(typed, { onSuccess: () => setTyped({ passphrase: "", again: "", hint: "" }) });
      }}
    >
      <TextField
        label="Passphrase for phones"
        name="passphrase"
        type="password"
        value={typed.passphrase}
        onChange={(passphrase) => setTyped({ ...typed, passphrase })}
        hint="Twelve characters or more: three words are easy to type."
        problem={of("passphrase")}
      />
      <TextField
        label="Once more"
        name="again"
        type="password"
        value={typed.again}
        onChange={(again) => setTyped({ ...typed, again })}
        problem={of("again")}
      />
      <TextField
        label="Hint, if you like"
        name="hint"
        value={typed.hint}
        onChange={(hint) => setTyped({ ...typed, hint })}
        hint="It is shown on this page only."
        problem={of("hint")}
      />
      <div className="flex flex-col items-end justify-end gap-2">
        {problem && !problem.field && <p className="font-semibold text-flag">{problem.sentence}</p>}
        {set.isSuccess && <p role="status">Set. Every phone has to sign in again.</p>}
        <Button type="submit" kind="primary" large disabled={set.isPending || !typed.passphrase || !typed.again}>
          Set the passphrase
        </Button>
      </div>
    </form>
  );
}

/** What takes the browser's warning away: the root, compared before it is trusted. */
function Trust({ fingerprint, own = false }: { fingerprint: string; own?: boolean }) {
  if (own)
    return (
      <p>
        The certificate is your own. SHA-256 <span className="font-semibold break-all">{fingerprint}</span>
      </p>
    );
  return (
    <ol className="flex list-decimal flex-col gap-2 pl-6">
      <li>
        On the phone, signed in, save{" "}
        <a href="/api/hand/root.crt" download className="font-semibold underline">
          the root certificate
        </a>{" "}
        and install it as a certificate authority in the phone's settings.
      </li>
      <li>
        {fingerprint ? "Compare its SHA-256 with this before you trust it:" : "Compare its SHA-256, before you trust it, with that on the page Phones of the program's own machine."}
        {fingerprint && <span className="block font-semibold break-all">{fingerprint}</span>}
      </li>
      <li>Put the page on the home screen. It then opens in a dead spot too, and says that it is cut off.</li>
    </ol>
  );
}
