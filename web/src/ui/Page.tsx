import type { ReactNode } from "react";
import { Button } from "./controls";

/** A page: title with its one-line why, a scrolling body, and the one primary action at the same place everywhere. */
export function Page(props: { title: string; why: ReactNode; tabs?: ReactNode; action?: ReactNode; aside?: ReactNode; children: ReactNode }) {
  return (
    <>
      {props.tabs}
      <div className="min-h-0 flex-1 overflow-auto px-6 py-3">
        <div className="mb-3 flex items-baseline gap-4">
          <h1 className="text-3xl font-bold">{props.title}</h1>
          <p className="text-faded">{props.why}</p>
        </div>
        {props.children}
      </div>
      {(props.action || props.aside) && (
        <footer className="flex min-h-24 items-center justify-between gap-6 border-t-2 border-line bg-paper px-6 py-3">
          <div className="min-w-0 flex-1">{props.aside}</div>
          {props.action}
        </footer>
      )}
    </>
  );
}

/** A page that edits one thing: back, take it out where it is there already, and keep it. */
export function EditorPage(props: {
  title: string;
  why: ReactNode;
  keep: string;
  problem: string | null;
  busy: boolean;
  onKeep: () => void;
  onClose: () => void;
  onTakeOut?: (() => void) | undefined;
  children: ReactNode;
}) {
  return (
    <Page
      title={props.title}
      why={props.why}
      aside={
        <div className="flex items-center gap-4">
          {props.onTakeOut && (
            <Button kind="danger" disabled={props.busy} onClick={props.onTakeOut}>
              Take it out
            </Button>
          )}
          {props.problem && <p className="font-semibold text-flag">{props.problem}</p>}
        </div>
      }
      action={
        <div className="flex gap-4">
          <Button className="h-record!" onClick={props.onClose}>
            Back
          </Button>
          <Button kind="primary" large disabled={props.busy} onClick={props.onKeep}>
            {props.keep}
          </Button>
        </div>
      }
    >
      {props.children}
    </Page>
  );
}
