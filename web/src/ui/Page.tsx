import type { ReactNode } from "react";

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
