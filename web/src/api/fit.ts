/** The calls of the Fit page, each a hook. */
import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { PAGED, path, useChange } from "./queries";

const keyOf = (id: string) => ["job", id, "fit"];

export const useFit = (id: string) => useQuery({ queryKey: keyOf(id), queryFn: () => answer(client.GET("/api/jobs/{job_id}/fit", path(id))) });

/** A change that answers with the page: it is shown at once, and all else of the job is read again. */
function useFitChange<Body>(id: string, send: (body: Body) => Promise<Schemas["FitView"]>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (page) => queries.setQueryData(keyOf(id), page),
    onSettled: () => queries.invalidateQueries({ queryKey: ["job", id] }),
  });
}

export const useChooseFit = (id: string) =>
  useFitChange(id, (body: Schemas["FitRequest"]) => answer(client.POST("/api/jobs/{job_id}/fit", { ...path(id), body })));
export const useUndoFit = (id: string) =>
  useFitChange(id, (body: Schemas["FitUndo"]) => answer(client.POST("/api/jobs/{job_id}/fit/undo", { ...path(id), body })));
export const useApplyFit = (id: string) =>
  useFitChange(id, (body: Schemas["FitApply"]) => answer(client.POST("/api/jobs/{job_id}/fit/apply", { ...path(id), body })));
export const useDropFit = (id: string) =>
  useFitChange(id, (body: Schemas["FitDrop"]) => answer(client.POST("/api/jobs/{job_id}/fit/drop", { ...path(id), body })));
export const useReapplyFit = (id: string) =>
  useFitChange(id, (body: Schemas["FitReapply"]) => answer(client.POST("/api/jobs/{job_id}/fit/reapply", { ...path(id), body })));
export const useAddFitMark = (id: string) =>
  useFitChange(id, (body: Schemas["NewFitMark"]) => answer(client.POST("/api/jobs/{job_id}/fit/marks", { ...path(id), body })));
export const useChangeFitMark = (id: string, line_id: string) =>
  useFitChange(id, (body: Schemas["ChangeFitMark"]) =>
    answer(client.POST("/api/jobs/{job_id}/fit/marks/{line_id}", { params: { path: { job_id: id, line_id } }, body })),
  );
export const useFromJob = (id: string) =>
  useFitChange(id, (job_id: string) => answer(client.POST("/api/jobs/{job_id}/fit/from-job", { ...path(id), body: { job_id } })));
export const useFitShot = (id: string) =>
  useFitChange(id, (body: Schemas["FitShotUse"]) => answer(client.POST("/api/jobs/{job_id}/fit/shots", { ...path(id), body })));
/** How a list would be read; nothing is stored. */
export const useFitFileRead = (id: string, body: Schemas["FitFile"]) =>
  useQuery({
    queryKey: ["fitFile", id, body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/fit/file", { ...path(id), body: { ...body, keep: false } })),
    retry: false,
    placeholderData: keepPreviousData,
  });
export const useKeepFitFile = (id: string) =>
  useChange(id, (body: Schemas["FitFile"]) => answer(client.POST("/api/jobs/{job_id}/fit/file", { ...path(id), body })));
export const useRecordFitShot = (id: string) =>
  useChange(id, (body: Schemas["FitShotRequest"]) => answer(client.POST("/api/jobs/{job_id}/fit/record", { ...path(id), body })));

export const useFitForm = () => useQuery({ queryKey: ["fitForm"], queryFn: () => answer(client.GET("/api/fit/form")), staleTime: Infinity });
export const useFitHistory = (id: string) =>
  useQuery({
    queryKey: ["job", id, "fitHistory"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/fit/history", path(id))).then((all) => all.fits),
  });
export const useFitCompared = (id: string, query: Schemas["CompareQuery"]) =>
  useQuery({
    queryKey: ["job", id, "fitCompared", query],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/fit/compare", { params: { path: { job_id: id }, query } })),
    enabled: query.one !== "" && query.other !== "",
    retry: false,
  });
export const useFitUse = (id: string) =>
  useInfiniteQuery({
    queryKey: ["job", id, "fitUse"],
    queryFn: ({ pageParam }) => answer(client.GET("/api/jobs/{job_id}/fit/use", { params: { path: { job_id: id }, query: { after: pageParam } } })),
    ...PAGED,
  });
