import type { ReactNode } from "react";
import { Button } from "./controls";
import { PANEL_ID } from "./Tabs";

/** A page: title with its one-line why, a scrolling body, and the one primary action at the same place everywhere: in the hand, at the thumb. */
export function Page(props: { title: string; why: ReactNode; tabs?: ReactNode; action?: ReactNode; aside?: ReactNode; children: ReactNode }) {
  const panel = props.tabs ? { id: PANEL_ID, role: "tabpanel", "aria-label": props.title } : {};
  return (
    <>
      {props.tabs}
      {/* What scrolls can be reached by keys. */}
      <div {...panel} tabIndex={0} className="min-h-0 flex-1 overflow-auto px-6 py-3 hand:px-4 short:flex-none short:overflow-visible">
        <div className="mb-3 flex items-baseline gap-4 hand:flex-col hand:gap-0">
          <h1 className="text-3xl font-bold small:text-2xl">{props.title}</h1>
          <p className="text-faded small:text-base small:leading-5">{props.why}</p>
        </div>
        {props.children}
      </div>
      {/* On a phone the foot is always there: the way to the steps stands at its left. */}
      <footer
        className={`flex min-h-24 items-center justify-between gap-6 border-t-2 border-line bg-paper px-6 py-3 hand:flex-col hand:items-stretch hand:gap-2 hand:px-4 small:min-h-22 small:py-2 short:sticky short:bottom-0 short:z-10 ${props.action || props.aside ? "" : "hidden small:flex"}`}
      >
        <div className="min-w-0 flex-1 hand:flex-none hand:empty:hidden small:leading-5">{props.aside}</div>
        <div className="hand:flex hand:*:flex-1 small:ml-20 small:min-h-record">{props.action}</div>
      </footer>
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
        (props.onTakeOut || props.problem) && (
          <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
            {props.onTakeOut && (
              <Button kind="danger" disabled={props.busy} onClick={props.onTakeOut}>
                Take it out
              </Button>
            )}
            {props.problem && (
              <p role="alert" className="min-w-0 font-semibold text-flag">
                {props.problem}
              </p>
            )}
          </div>
        )
      }
      action={
        <div className="flex gap-4 hand:gap-2">
          <Button className="h-record!" onClick={props.onClose}>
            Back
          </Button>
          <Button kind="primary" large className="hand:flex-1" disabled={props.busy} onClick={props.onKeep}>
            {props.keep}
          </Button>
        </div>
      }
    >
      {props.children}
    </Page>
  );
}
