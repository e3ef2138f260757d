/** Every call to the server, each a hook. Keys begin with the job, so one event refreshes all that is stored of it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";

const path = (job_id: string) => ({ params: { path: { job_id } } });

export const useJobs = () =>
  useQuery({ queryKey: ["jobs"], queryFn: () => answer(client.GET("/api/jobs")).then((all) => all.jobs) });
export const useSystems = (text: string) =>
  useQuery({
    queryKey: ["systems", text],
    queryFn: () => answer(client.GET("/api/systems", { params: { query: { text } } })).then((all) => all.systems),
    enabled: text.trim().length > 1,
    staleTime: Infinity,
  });
export const useKit = () => useQuery({ queryKey: ["kit"], queryFn: () => answer(client.GET("/api/kit")), staleTime: Infinity });
export const useJob = (id: string) =>
  useQuery({ queryKey: ["job", id, "job"], queryFn: () => answer(client.GET("/api/jobs/{job_id}", path(id))) });
export const useSteps = (id: string) =>
  useQuery({
    queryKey: ["job", id, "steps"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/steps", path(id))).then((all) => all.steps),
  });
export const useMarks = (id: string) =>
  useQuery({
    queryKey: ["job", id, "marks"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/marks", path(id))).then((all) => all.marks),
  });
export const useBase = (id: string) =>
  useQuery({ queryKey: ["job", id, "base"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/base", path(id))) });
export const useWatch = (id: string) =>
  useQuery({ queryKey: ["job", id, "watch"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/watch", path(id))) });
export const useHistory = (id: string, seconds: number) =>
  useQuery({
    queryKey: ["job", id, "history", seconds],
    queryFn: () =>
      answer(client.GET("/api/jobs/{job_id}/history", { params: { path: { job_id: id }, query: { seconds } } })),
    // The picture moves by a pixel or so between two readings.
    refetchInterval: Math.max(2000, (seconds * 1000) / 150),
  });
export const useChecks = (id: string) =>
  useQuery({
    queryKey: ["job", id, "checks"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/checks", path(id))).then((all) => all.checks),
  });
export const useBook = (id: string) =>
  useQuery({ queryKey: ["job", id, "book"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/book", path(id))) });
export const useStand = (id: string) =>
  useQuery({ queryKey: ["job", id, "stand"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/stand", path(id))) });
export const useHeight = (id: string, body: Schemas["HeightQuery"]) =>
  useQuery({
    queryKey: ["height", id, body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/height", { ...path(id), body })),
    enabled: body.reading.trim() !== "",
    retry: false,
    placeholderData: (last) => last,
  });

/** A change of a job: when it is done, all that is stored of the job is read again. */
function useChange<Body, Result>(id: string, send: (body: Body) => Promise<Result>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSettled: () => queries.invalidateQueries({ queryKey: ["job", id] }) });
}

export function useCreateJob() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["NewJob"]) => answer(client.POST("/api/jobs", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["jobs"] }),
  });
}
export const usePreviewControl = (id: string) =>
  useMutation({
    mutationFn: (body: Schemas["ControlFile"]) =>
      answer(client.POST("/api/jobs/{job_id}/control/preview", { ...path(id), body })),
  });
export const useAcceptControl = (id: string) =>
  useChange(id, (body: Schemas["ControlFile"]) =>
    answer(client.POST("/api/jobs/{job_id}/control/accept", { ...path(id), body })),
  );
export const useBeginAverage = (id: string) =>
  useChange(id, (body: Schemas["AverageWish"]) =>
    answer(client.POST("/api/jobs/{job_id}/base/average", { ...path(id), body })),
  );
export const useCancelAverage = (id: string) =>
  useChange(id, () => answer(client.DELETE("/api/jobs/{job_id}/base/average", path(id))));
export const useStartBase = (id: string) =>
  useChange(id, (body: Schemas["StartBase"]) => answer(client.POST("/api/jobs/{job_id}/base/start", { ...path(id), body })));
export const useCorrectHeight = (id: string) =>
  useChange(id, (body: Schemas["CorrectHeight"]) =>
    answer(client.POST("/api/jobs/{job_id}/base/height", { ...path(id), body })),
  );
export const useListenElsewhere = (id: string) =>
  useChange(id, (body: Schemas["Listen"]) => answer(client.POST("/api/jobs/{job_id}/base/listen", { ...path(id), body })));
export const useEndBase = (id: string) =>
  useChange(id, () => answer(client.POST("/api/jobs/{job_id}/base/end", path(id))));
export const useRecordCheck = (id: string) =>
  useChange(id, (body: Schemas["RecordCheck"]) => answer(client.POST("/api/jobs/{job_id}/checks", { ...path(id), body })));
export const useCancelCheck = (id: string) =>
  useChange(id, () => answer(client.DELETE("/api/jobs/{job_id}/checks/current", path(id))));
export const useMoveStand = (id: string) =>
  useChange(id, (body: Schemas["Stand"]) => answer(client.POST("/api/jobs/{job_id}/stand", { ...path(id), body })));
