/** One event stream per tab, closed while the tab is hidden; the newest of each topic in one store. */
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Schemas } from "./client";

export type Connection = "connecting" | "open" | "lost";

export interface LiveState {
  live: Schemas["Live"] | null;
  average: Schemas["Average"] | null;
  connection: Connection;
}

/** Follow a job's events. After a break or a restart of the program everything stored is read again. */
export function useLiveStream(jobId: string): LiveState {
  const queries = useQueryClient();
  const [state, setState] = useState<LiveState>({ live: null, average: null, connection: "connecting" });

  useEffect(() => {
    let source: EventSource | null = null;
    const refresh = () => void queries.invalidateQueries({ queryKey: ["job", jobId] });
    const read = <T,>(event: Event) => JSON.parse((event as MessageEvent<string>).data) as T;

    const open = () => {
      source = new EventSource(`/api/jobs/${jobId}/events`);
      source.onopen = () => {
        setState((old) => ({ ...old, connection: "open" }));
        refresh();
      };
      source.onerror = () => setState((old) => ({ ...old, connection: "lost", live: null }));
      source.addEventListener("live", (event) => setState((old) => ({ ...old, live: read<Schemas["Live"] | null>(event) })));
      source.addEventListener("average", (event) =>
        setState((old) => ({ ...old, average: read<Schemas["Average"] | null>(event) })),
      );
      source.addEventListener("job", refresh);
    };
    const close = () => {
      source?.close();
      source = null;
    };
    const onVisibility = () => {
      close();
      if (!document.hidden) open();
    };
    document.addEventListener("visibilitychange", onVisibility);
    open();
    return () => {
      document.removeEventListener("visibilitychange", onVisibility);
      close();
    };
  }, [jobId, queries]);

  return state;
}
