import type { KeyboardEvent } from "react";
import { useSearchParams } from "react-router";
import { Select } from "./controls";

/** What the tabs belong to: one panel, which shows the chosen view. */
export const PANEL_ID = "view";

/** The views of one page; the chosen one stands in the address. */
export function useView<T extends string>(views: readonly T[]): [T, (view: T) => void] {
  const [params, setParams] = useSearchParams();
  const view = views.find((item) => item === params.get("view")) ?? views[0];
  return [view as T, (next) => setParams({ view: next })];
}

const MOVES: Record<string, (at: number, count: number) => number> = {
  ArrowRight: (at, count) => (at + 1) % count,
  ArrowLeft: (at, count) => (at + count - 1) % count,
  Home: () => 0,
  End: (_, count) => count - 1,
};

// The next view brings tabs of its own: they take the focus where it was moved by keys.
let byKeys = false;
const takeFocus = (tab: HTMLButtonElement | null) => {
  if (!tab || !byKeys) return;
  byKeys = false;
  tab.focus();
};

/** Views side by side, with the arrow keys; on a phone one choice. */
export function Tabs<T extends string>(props: { views: readonly { view: T; label: string }[]; value: T; onChange: (view: T) => void }) {
  const onKey = (event: KeyboardEvent) => {
    const at = props.views.findIndex((item) => item.view === props.value);
    const next = MOVES[event.key]?.(at, props.views.length);
    const item = next === undefined ? undefined : props.views[next];
    if (!item) return;
    event.preventDefault();
    byKeys = true;
    props.onChange(item.view);
  };
  return (
    <>
      <div className="border-b-2 border-line bg-paper px-3 py-1 hidden small:block">
        <Select
          compact
          label="View"
          value={props.value}
          options={props.views.map((item) => ({ value: item.view, label: item.label }))}
          onChange={(view) => props.onChange(view as T)}
        />
      </div>
      <div
        role="tablist"
        aria-label="Views"
        onKeyDown={onKey}
        className="flex min-h-14 shrink-0 flex-wrap items-stretch gap-1 border-b-2 border-line bg-paper px-6 hand:px-3 small:hidden"
      >
        {props.views.map((item) => {
          const chosen = item.view === props.value;
          return (
            <button
              key={item.view}
              ref={chosen ? takeFocus : undefined}
              type="button"
              role="tab"
              aria-selected={chosen}
              aria-controls={PANEL_ID}
              tabIndex={chosen ? 0 : -1}
              onClick={() => props.onChange(item.view)}
              className={`min-h-touch min-w-28 px-4 text-lg hand:min-w-20 hand:px-3 ${chosen ? "border-b-4 border-ink pt-1 font-bold" : "text-faded"}`}
            >
              {item.label}
            </button>
          );
        })}
      </div>
    </>
  );
}
