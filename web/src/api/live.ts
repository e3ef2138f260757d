/** The live data of one job in a store of its own: a component is drawn again only when what it selects has changed. */
import { type QueryClient, replaceEqualDeep, useQueryClient } from "@tanstack/react-query";
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
  /** When the program was last heard, in this device's milliseconds, while it is not heard. */
  lostSince: number | null;
  /** By how many seconds this device's clock is fast (negative: slow), where that is more than one. */
  clockOff_s: number;
}

const NOTHING: LiveState = {
  live: null,
  rovers: [],
  chosen: null,
  average: null,
  connection: "connecting",
  lostSince: null,
  clockOff_s: 0,
};

/** The program says at least every two seconds that it is there; three that fail to come are a connection that is cut off. */
const QUIET_MS = 6000;
const LOOKS_EVERY_MS = 1000;
const AGAIN_MS = 4000;
/** Of so many beats the one that came fastest tells how far the clocks are apart. */
const BEATS = 15;
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

/** The stream of a job's events: opened and closed, and opened again where it has been silent for too long. */
function streamOf(jobId: string, queries: QueryClient) {
  let source: EventSource | null = null;
  let heard = 0;
  let opened = 0;
  let beats: number[] = [];
  const refresh = () => void queries.invalidateQueries({ queryKey: ["job", jobId] });
  const lost = () => {
    if (state.connection === "lost") return;
    setLive({ connection: "lost", lostSince: heard, live: null, rovers: [] });
    // It may be that this device was signed out.
    void queries.invalidateQueries({ queryKey: ["session"] });
  };
  const there = () => {
    heard = Date.now();
    if (state.connection !== "open") setLive({ connection: "open", lostSince: null });
  };
  const on = <K extends keyof Events>(name: K, take: (data: Events[K]) => void) =>
    source?.addEventListener(name, (event) => {
      there();
      take(JSON.parse((event as MessageEvent<string>).data) as Events[K]);
    });
  const open = () => {
    opened = Date.now();
    heard ||= opened;
    source = new EventSource(`/api/jobs/${jobId}/events`);
    source.onopen = () => {
      there();
      refresh();
    };
    source.onerror = lost;
    on("live", (rovers) => setRovers(rovers ?? []));
    on("average", (average) => setLive({ average }));
    on("job", refresh);
    on("beat", ({ now_s }) => {
      // What comes late makes the clock look fast: the least of them is the truest.
      beats = [...beats, Date.now() / 1000 - now_s].slice(-BEATS);
      const off = Math.min(...beats);
      setLive({ clockOff_s: Math.abs(off) > 1 ? Math.round(off * 10) / 10 : 0 });
    });
  };
  const close = () => {
    source?.close();
    source = null;
  };
  /** A radio that is out of reach says nothing at all: no error comes for minutes. */
  const look = () => {
    if (!source || Date.now() - heard < QUIET_MS) return;
    lost();
    if (Date.now() - opened < AGAIN_MS) return;
    close();
    beats = [];
    open();
  };
  const reopen = () => {
    if (source) return;
    heard = Date.now();
    open();
  };
  return { open, close, look, reopen };
}

/** Follow a job's events: one stream a tab, closed while another hidden tab has one. After a break everything stored is read again. */
export function useLiveStream(jobId: string) {
  const queries = useQueryClient();

  useEffect(() => {
    const stream = streamOf(jobId, queries);
    const watchdog = setInterval(stream.look, LOOKS_EVERY_MS);
    let shown = () => {};
    const onVisibility = () => {
      shown();
      if (!document.hidden) return stream.reopen();
      // Locks are there where the page is served from this machine or by https.
      const locks = navigator.locks as LockManager | null | undefined;
      if (!locks) return stream.close();
      const until = new Promise<void>((resolve) => (shown = resolve));
      void locks.request(HIDDEN, { ifAvailable: true }, (lock) => {
        if (lock) return until;
        if (document.hidden) stream.close();
      });
    };
    document.addEventListener("visibilitychange", onVisibility);
    setLive(NOTHING);
    stream.open();
    return () => {
      clearInterval(watchdog);
      document.removeEventListener("visibilitychange", onVisibility);
      shown();
      stream.close();
    };
  }, [jobId, queries]);
}
