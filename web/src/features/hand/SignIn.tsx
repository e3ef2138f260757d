import { useState } from "react";
import { problemOf } from "../../api/client";
import { useSignIn } from "../../api/hand";
import { Button, Note, TextField } from "../../ui/controls";

const NAME = "openstake who";

/** The only page without the passphrase. The name is typed once on a device. */
export function SignIn({ refused }: { refused: string }) {
  const [who, setWho] = useState(localStorage.getItem(NAME) ?? "");
  const [passphrase, setPassphrase] = useState("");
  const [code, setCode] = useState("");
  const signIn = useSignIn();
  const problem = problemOf(signIn.error);
  const of = (field: string) => (problem?.field === field ? problem.sentence : null);
  return (
    <main className="mx-auto flex min-h-dvh max-w-xl flex-col px-4 py-6 text-lg">
      <form
        className="flex flex-1 flex-col gap-5"
        onSubmit={(event) => {
          event.preventDefault();
          localStorage.setItem(NAME, who.trim());
          signIn.mutate({ who, passphrase, code });
        }}
      >
        <h1 className="text-3xl font-bold">Open Stake</h1>
        {refused && <Note tone="flag">{refused}</Note>}
        <TextField
          large
          label="Your initials"
          name="who"
          value={who}
          onChange={setWho}
          hint="What you record is written under them."
          problem={of("who")}
          autoFocus={!who}
        />
        <TextField
          large
          label="Passphrase"
          name="passphrase"
          type="password"
          value={passphrase}
          onChange={setPassphrase}
          hint="It was set on the machine that the program runs on: its page Phones has a hint."
          problem={of("passphrase")}
          autoFocus={Boolean(who)}
        />
        {(problem?.field === "code" || code) && (
          <TextField
            large
            label="Code of the page Phones"
            name="code"
            value={code}
            onChange={setCode}
            hint="With it you need not wait."
            problem={of("code")}
            autoFocus
          />
        )}
        {problem && !problem.field && <Note tone="flag">{problem.sentence}</Note>}
        <Button type="submit" kind="primary" large className="mt-auto w-full" disabled={signIn.isPending || !who.trim() || !passphrase}>
          {signIn.isPending ? "Signing in" : "Sign in"}
        </Button>
      </form>
    </main>
  );
}
