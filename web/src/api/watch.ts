/** The calls of the Watch page, each a hook. */
import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { asSent, PAGED, path, useChange } from "./queries";

const INSTRUMENT_EVERY_MS = 1000;
const WAY_EVERY_MS = 500;

export const useInstrument = (id: string, rover_id: string) =>
  useQuery({
    queryKey: ["job", id, "instrument", rover_id],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/instrument", { params: { path: { job_id: id }, query: { rover_id } } })),
    refetchInterval: INSTRUMENT_EVERY_MS,
    placeholderData: keepPreviousData,
  });

/** What stretch of time is shown: up to now, or up to a moment. */
export interface Stretch {
  seconds: number;
  to: number;
}

export const useHistory = (id: string, rover_id: string, { seconds, to }: Stretch) =>
  useQuery({
    queryKey: ["job", id, "history", rover_id, seconds, to],
    queryFn: () =>
      answer(client.GET("/api/jobs/{job_id}/history", { params: { path: { job_id: id }, query: { seconds, to_s: to, rover_id } } })),
    // The picture moves by a pixel or so between two readings; what is past does not move.
    refetchInterval: to ? false : Math.max(1000, (seconds * 1000) / 150),
    placeholderData: keepPreviousData,
  });

export const useAddRover = (id: string) =>
  useChange(id, (body: Schemas["NewRover"]) => answer(client.POST("/api/jobs/{job_id}/rovers", { ...path(id), body })));
export const useDropRover = (id: string) =>
  useChange(id, (rover_id: string) => answer(client.POST("/api/jobs/{job_id}/rovers/drop", { ...path(id), body: { rover_id } })));
export const useInitialise = (id: string) =>
  useChange(id, (rover_id: string) => answer(client.POST("/api/jobs/{job_id}/rovers/initialise", { ...path(id), body: { rover_id } })));
export const usePorts = (enabled: boolean) => useQuery({ queryKey: ["ports"], queryFn: () => answer(client.GET("/api/ports")), enabled });

export type PointFilter = Omit<Schemas["PointsQuery"], "after">;

/** All points: what is read here and what a list without a filter reads is one request. */
export const ALL_POINTS: PointFilter = { text: "", kind: "", taken_out: false };

export const usePoints = (id: string, filter = ALL_POINTS) =>
  useInfiniteQuery({
    queryKey: ["job", id, "points", filter],
    queryFn: ({ pageParam: after }) =>
      answer(client.GET("/api/jobs/{job_id}/points", { params: { path: { job_id: id }, query: { ...filter, after } } })),
    ...PAGED,
    placeholderData: keepPreviousData,
  });
export const useRecordPoint = (id: string) =>
  useChange(id, (body: Schemas["PointRequest"]) => answer(client.POST("/api/jobs/{job_id}/points", { ...path(id), body })));
export const useDropShot = (id: string) =>
  useChange(id, (rover_id: string) => answer(client.POST("/api/jobs/{job_id}/points/drop", { ...path(id), body: { rover_id } })));
export const useTakeBack = (id: string) => useChange(id, () => answer(client.POST("/api/jobs/{job_id}/points/back", path(id))));
const pointPath = (job_id: string, shot_id: string) => ({ params: { path: { job_id, shot_id } } });
export const useRelabel = (id: string, shot_id: string) =>
  useChange(id, (body: Schemas["Relabel"]) => answer(client.POST("/api/jobs/{job_id}/points/{shot_id}", { ...pointPath(id, shot_id), body })));
export const useAddPointPhoto = (id: string, shot_id: string) =>
  useChange(id, (file: File) =>
    answer(
      client.POST("/api/jobs/{job_id}/points/{shot_id}/photos", {
        params: { path: { job_id: id, shot_id }, query: { name: file.name } },
        ...asSent(file),
      }),
    ),
  );
export const useShotSettings = (id: string) =>
  useQuery({ queryKey: ["job", id, "shotSettings"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/points/settings", path(id))) });
export const useSaveShotSettings = (id: string) =>
  useChange(id, (body: Schemas["SaveShotSettings"]) => answer(client.POST("/api/jobs/{job_id}/points/settings", { ...path(id), body })));

export const useGoTo = (id: string, query: Schemas["GoToQuery"]) =>
  useQuery({
    queryKey: ["job", id, "goto", query],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/goto", { params: { path: { job_id: id }, query } })),
    enabled: Boolean(query.mark_id || query.fit_line_id),
    refetchInterval: WAY_EVERY_MS,
    retry: false,
    placeholderData: keepPreviousData,
  });
export const useClosing = (id: string) =>
  useQuery({
    queryKey: ["job", id, "closing"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/closing", path(id))),
    refetchInterval: 10_000,
  });
export const useTickClosing = (id: string) =>
  useChange(id, (body: Schemas["TickRequest"]) => answer(client.POST("/api/jobs/{job_id}/closing", { ...path(id), body })));
export const useHandover = (id: string) =>
  useQuery({
    queryKey: ["job", id, "handover"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/handover", path(id))),
    refetchInterval: 5000,
  });
export const useBench = (id: string) =>
  useQuery({
    queryKey: ["job", id, "bench"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/bench", path(id))),
    refetchInterval: (query) => (query.state.data?.running ? 1000 : false),
  });
export const useBeginBench = (id: string) =>
  useChange(id, (body: Schemas["BenchRequest"]) => answer(client.POST("/api/jobs/{job_id}/bench", { ...path(id), body })));
export const useCancelBench = (id: string) => useChange(id, () => answer(client.DELETE("/api/jobs/{job_id}/bench", path(id))));
export const useRoverHeight = (id: string, shot_id: string) =>
  useQuery({
    queryKey: ["job", id, "roverHeight", shot_id],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/shots/{shot_id}/height", pointPath(id, shot_id))),
  });
export const useCorrectRoverHeight = (id: string, shot_id: string) =>
  useChange(id, (body: Schemas["CorrectRoverHeight"]) => answer(client.POST("/api/jobs/{job_id}/shots/{shot_id}/height", { ...pointPath(id, shot_id), body })));
