import type { ReactNode } from "react";

/** What is needed now and then: closed until it is asked for. */
export function More(props: { title: string; open?: boolean; children: ReactNode }) {
  return (
    <details className="rounded border-2 border-line bg-page" open={props.open ?? false}>
      <summary className="flex min-h-touch cursor-pointer items-center px-4 font-semibold">{props.title}</summary>
      <div className="flex flex-col gap-4 px-4 pb-4">{props.children}</div>
    </details>
  );
}
