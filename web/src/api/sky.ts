/** The calls of the Sky page, each a hook. */
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { asSent, path, useChange } from "./queries";

const LOOKED_AT_EVERY_MS = 5000;
/** What is now moves on, and the base may send elements, without an event. */
const DAY_EVERY_MS = 60_000;

/** Which marks base and rover stand on, and which day. */
export interface SkyAsked {
  base_mark_id: string;
  rover_mark_id: string;
  day: string;
  night: boolean;
}

const of = (job_id: string, query: SkyAsked) => ({ params: { path: { job_id }, query } });

export const useSky = (id: string, query: SkyAsked) =>
  useQuery({
    queryKey: ["job", id, "sky", query],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/sky", of(id, query))),
    placeholderData: keepPreviousData,
    refetchInterval: DAY_EVERY_MS,
    retry: false,
  });
export const useSkySeen = (id: string, rover_mark_id: string) =>
  useQuery({
    queryKey: ["job", id, "skySeen", rover_mark_id],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/sky/seen", { params: { path: { job_id: id }, query: { rover_mark_id } } })),
    refetchInterval: LOOKED_AT_EVERY_MS,
    placeholderData: keepPreviousData,
  });
export const useCompareSky = (id: string) =>
  useChange(id, (body: Schemas["CompareSky"]) => answer(client.POST("/api/jobs/{job_id}/sky/compare", { ...path(id), body })));
export const useDrawSkyline = (id: string) =>
  useChange(id, (body: Schemas["DrawSkyline"]) => answer(client.POST("/api/jobs/{job_id}/sky/skyline", { ...path(id), body })));
export const useUndoSkyline = (id: string) =>
  useChange(id, (body: Schemas["UndoSkyline"]) => answer(client.POST("/api/jobs/{job_id}/sky/skyline/undo", { ...path(id), body })));
export const useLoadElements = (id: string) =>
  useChange(id, (file: File) =>
    answer(client.POST("/api/jobs/{job_id}/sky/elements", { params: { path: { job_id: id }, query: { name: file.name } }, ...asSent(file) })),
  );
export const useTakeOutElements = (id: string) =>
  useChange(id, (file_id: string) =>
    answer(client.DELETE("/api/jobs/{job_id}/sky/elements/{file_id}", { params: { path: { job_id: id, file_id } } })),
  );
export const useNoteKp = (id: string) =>
  useChange(id, (kp: string) => answer(client.POST("/api/jobs/{job_id}/sky/kp", { ...path(id), body: { kp } })));
export const useAddSkyPhoto = (id: string) =>
  useMutation({
    mutationFn: (sent: { mark_id: string; file: File }) =>
      answer(
        client.POST("/api/jobs/{job_id}/sky/photos/{mark_id}", {
          params: { path: { job_id: id, mark_id: sent.mark_id }, query: { name: sent.file.name } },
          ...asSent(sent.file),
        }),
      ),
  });
export const useAimPhoto = (id: string) =>
  useMutation({ mutationFn: (body: Schemas["AimRequest"]) => answer(client.POST("/api/jobs/{job_id}/sky/aim", { ...path(id), body })) });

/** Where a photo lies that is warped to the panorama. */
export function underOf(id: string, aim: Schemas["PhotoAim"]): string {
  const query = new URLSearchParams({
    photo_id: aim.photo_id,
    azimuth_deg: String(aim.azimuth_deg),
    pitch_deg: String(aim.pitch_deg),
    width_deg: String(aim.width_deg),
    sweep: String(aim.sweep),
  });
  return `/api/jobs/${id}/sky/under?${query}`;
}
