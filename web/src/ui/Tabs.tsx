import { useSearchParams } from "react-router";

/** The views of one page; the chosen one stands in the address. */
export function useView<T extends string>(views: readonly T[]): [T, (view: T) => void] {
  const [params, setParams] = useSearchParams();
  const view = views.find((item) => item === params.get("view")) ?? views[0];
  return [view as T, (next) => setParams({ view: next })];
}

export function Tabs<T extends string>(props: { views: readonly { view: T; label: string }[]; value: T; onChange: (view: T) => void }) {
  return (
    <div role="tablist" className="flex h-14 shrink-0 items-stretch gap-1 border-b-2 border-line bg-paper px-6">
      {props.views.map((item) => (
        <button
          key={item.view}
          type="button"
          role="tab"
          aria-selected={item.view === props.value}
          onClick={() => props.onChange(item.view)}
          className={`min-w-28 px-4 text-lg ${item.view === props.value ? "border-b-4 border-ink pt-1 font-bold" : "text-faded"}`}
        >
          {item.label}
        </button>
      ))}
    </div>
  );
}
