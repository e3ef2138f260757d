/** The calls of the Check page, each a hook. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { path, useChange } from "./queries";

const PLAN_EVERY_MS = 10_000;

export const usePlanOfChecks = (id: string) =>
  useQuery({
    queryKey: ["job", id, "checkPlan"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/checks/plan", path(id))),
    refetchInterval: PLAN_EVERY_MS,
  });
export const useTellChange = (id: string) =>
  useChange(id, (body: Schemas["ChangeRequest"]) => answer(client.POST("/api/jobs/{job_id}/checks/changes", { ...path(id), body })));

export const useCheckSettings = (id: string) =>
  useQuery({ queryKey: ["job", id, "checkSettings"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/checks/settings", path(id))) });
export const useSaveCheckSettings = (id: string) =>
  useChange(id, (body: Schemas["SaveCheckSettings"]) => answer(client.POST("/api/jobs/{job_id}/checks/settings", { ...path(id), body })));

export const useReseat = (id: string, mark_id: string) =>
  useQuery({
    queryKey: ["job", id, "reseat", mark_id],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/base/reseat", { params: { path: { job_id: id }, query: { mark_id } } })),
    enabled: mark_id !== "",
    retry: false,
    placeholderData: keepPreviousData,
  });
export const usePreviewReseat = (id: string, body: Schemas["ReseatRequest"]) =>
  useQuery({
    queryKey: ["job", id, "reseatPreview", body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/base/reseat/preview", { ...path(id), body })),
    enabled: body.shot_ids.length > 0,
    retry: false,
  });
export const useApplyReseat = (id: string) =>
  useChange(id, (body: Schemas["ReseatRequest"]) => answer(client.POST("/api/jobs/{job_id}/base/reseat", { ...path(id), body })));

export const useMeasures = (id: string) =>
  useQuery({ queryKey: ["job", id, "ground"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/ground", path(id))) });
export const useAddMeasure = (id: string) =>
  useChange(id, (body: Schemas["MeasureRequest"]) => answer(client.POST("/api/jobs/{job_id}/ground", { ...path(id), body })));
export const useDropMeasure = (id: string) =>
  useChange(id, (measure_id: string) => answer(client.POST("/api/jobs/{job_id}/ground/drop", { ...path(id), body: { measure_id } })));

export const useTurns = (id: string) => useQuery({ queryKey: ["job", id, "turns"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/turns", path(id))) });
export const useBeginTurn = (id: string) =>
  useChange(id, (body: Schemas["TurnRequest"]) => answer(client.POST("/api/jobs/{job_id}/turns", { ...path(id), body })));
export const useRecordSide = (id: string) =>
  useChange(id, (body: Schemas["SeriesShotRequest"]) => answer(client.POST("/api/jobs/{job_id}/turns/record", { ...path(id), body })));
export const useDropTurn = (id: string) =>
  useChange(id, (series_id: string) => answer(client.POST("/api/jobs/{job_id}/turns/drop", { ...path(id), body: { series_id } })));

export const useFieldTests = (id: string) =>
  useQuery({
    queryKey: ["job", id, "fieldtests"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/fieldtests", path(id))),
    refetchInterval: PLAN_EVERY_MS,
  });
export const useBeginFieldTest = (id: string) =>
  useChange(id, (body: Schemas["FieldTestRequest"]) => answer(client.POST("/api/jobs/{job_id}/fieldtests", { ...path(id), body })));
export const useRecordFieldTest = (id: string) =>
  useChange(id, (body: Schemas["SeriesShotRequest"]) => answer(client.POST("/api/jobs/{job_id}/fieldtests/record", { ...path(id), body })));
export const useDropFieldTest = (id: string) =>
  useChange(id, (series_id: string) => answer(client.POST("/api/jobs/{job_id}/fieldtests/drop", { ...path(id), body: { series_id } })));
