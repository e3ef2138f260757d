/** The live data of one job in a store of its own: a component is drawn again only when what it selects has changed. */
import { replaceEqualDeep, useQueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import type { Schemas } from "./client";

/** What the event stream sends, each event by its name. */
type Events = Schemas["Events"];
export type Connection = "connecting" | "open" | "lost";

export interface LiveState {
  /** The rover that this browser looks at; the first one where none is chosen or the chosen one is gone. */
  live: Schemas["Live"] | null;
  rovers: Schemas["Live"][];
  chosen: string | null;
  average: Events["average"];
  connection: Connection;
}

const NOTHING: LiveState = { live: null, rovers: [], chosen: null, average: null, connection: "connecting" };
const listeners = new Set<() => void>();
let state = NOTHING;

/** Put in what has changed; parts that are equal keep their identity, so whoever selected them rests. */
export function setLive(change: Partial<LiveState>) {
  const next = replaceEqualDeep(state, { ...state, ...change });
  if (next === state) return;
  state = next;
  for (const listener of listeners) listener();
}

/** Put in the moment of every rover; the chosen one is shown. */
function setRovers(rovers: Schemas["Live"][], chosen = state.chosen) {
  setLive({ rovers, chosen, live: rovers.find((item) => item.rover_id === chosen) ?? rovers[0] ?? null });
}

/** Look at another rover. */
export const chooseRover = (id: string | null) => setRovers(state.rovers, id);

function subscribe(listener: () => void) {
  listeners.add(listener);
  return () => void listeners.delete(listener);
}

/** A part of the live data. Select what is drawn and no more: a number, or an object of the state as it is. */
export function useLive<T>(select: (state: LiveState) => T): T {
  return useSyncExternalStore(subscribe, () => select(state));
}

/** One hidden tab of a browser keeps its stream, so that a lost fix is heard; a browser has six connections for all its tabs. */
const HIDDEN = "openstake hidden stream";

/** Follow a job's events: one stream a tab, closed while another hidden tab has one. After a break everything stored is read again. */
export function useLiveStream(jobId: string) {
  const queries = useQueryClient();

  useEffect(() => {
    let source: EventSource | null = null;
    const refresh = () => void queries.invalidateQueries({ queryKey: ["job", jobId] });
    const on = <K extends keyof Events>(name: K, take: (data: Events[K]) => void) =>
      source?.addEventListener(name, (event) => take(JSON.parse((event as MessageEvent<string>).data) as Events[K]));

    const open = () => {
      source = new EventSource(`/api/jobs/${jobId}/events`);
      source.onopen = () => {
        setLive({ connection: "open" });
        refresh();
      };
      source.onerror = () => setLive({ connection: "lost", live: null, rovers: [] });
      on("live", (rovers) => setRovers(rovers ?? []));
      on("average", (average) => setLive({ average }));
      on("job", refresh);
    };
    const close = () => {
      source?.close();
      source = null;
    };
    let shown = () => {};
    const onVisibility = () => {
      shown();
      if (!document.hidden) {
        if (!source) open();
        return;
      }
      // Locks are there where the page is served from this machine or by https.
      const locks = navigator.locks as LockManager | null | undefined;
      if (!locks) return close();
      const until = new Promise<void>((resolve) => (shown = resolve));
      void locks.request(HIDDEN, { ifAvailable: true }, (lock) => {
        if (lock) return until;
        if (document.hidden) close();
      });
    };
    document.addEventListener("visibilitychange", onVisibility);
    setLive(NOTHING);
    open();
    return () => {
      document.removeEventListener("visibilitychange", onVisibility);
      shown();
      close();
    };
  }, [jobId, queries]);
}
