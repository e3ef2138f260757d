/** Long work: begun, looked at while it goes on, stopped by a press; its file is fetched when it is done. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { asSent, path } from "./queries";

type Begin = () => Promise<Schemas["WorkView"]>;

const LOOKED_AT_EVERY_MS = 300;

/** One work at a time: `begin` starts it, `view` is how far it is, `over` is called once with what came of it. */
export function useWork(over: (work: Schemas["WorkView"]) => void) {
  const queries = useQueryClient();
  const begin = useMutation({ mutationFn: (start: Begin) => start() });
  const id = begin.data?.id ?? null;
  const look = useQuery({
    queryKey: ["work", id],
    queryFn: async () => {
      const seen = await answer(client.GET("/api/works/{work_id}", { params: { path: { work_id: id! } } }));
      if (seen.state !== "running") over(seen);
      return seen;
    },
    enabled: id !== null,
    refetchInterval: (query) => (query.state.data && query.state.data.state !== "running" ? false : LOOKED_AT_EVERY_MS),
    // Who looks elsewhere meanwhile gets the file all the same.
    refetchIntervalInBackground: true,
    refetchOnWindowFocus: false,
    refetchOnMount: false,
    staleTime: Infinity,
  });
  const cancel = useMutation({
    mutationFn: () => answer(client.POST("/api/works/{work_id}/cancel", { params: { path: { work_id: id! } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["work", id] }),
  });
  return { begin: begin.mutate, problem: begin.error, view: look.data ?? begin.data ?? null, busy: begin.isPending, stop: () => cancel.mutate() };
}

export type Work = ReturnType<typeof useWork>;

export const beginPackage = (id: string): Begin => () => answer(client.POST("/api/jobs/{job_id}/packages", path(id)));
export const beginUnpack = (file: File): Begin => () => answer(client.POST("/api/packages", asSent(file)));
export const beginPoints = (id: string, kind: string, body: Schemas["TakeHome"]): Begin => () =>
  answer(client.POST("/api/jobs/{job_id}/take-home/{kind}", { params: { path: { job_id: id, kind } }, body }));
export const beginReport = (id: string, kind: string): Begin => () =>
  answer(client.POST("/api/jobs/{job_id}/reports/{kind}", { params: { path: { job_id: id, kind } }, body: { day: "" } }));
