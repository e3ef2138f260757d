/** The calls of the Chain page, each a hook. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { path, useChange } from "./queries";

const LOOKED_AT_EVERY_MS = 5000;

export const useChain = (id: string) =>
  useQuery({
    queryKey: ["job", id, "chain"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/chain", path(id))),
    refetchInterval: LOOKED_AT_EVERY_MS,
  });
export const useTryBudget = (id: string, body: Schemas["BudgetRequest"]) =>
  useQuery({
    queryKey: ["job", id, "budget", body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/budget/try", { ...path(id), body })),
    retry: false,
    placeholderData: keepPreviousData,
  });
export const useBudgetOver = (id: string, body: Schemas["BudgetRequest"]) =>
  useQuery({
    queryKey: ["job", id, "budgetOver", body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/budget/over", { ...path(id), body })),
    retry: false,
    placeholderData: keepPreviousData,
  });
export const useBudgetForm = (id: string) =>
  useQuery({ queryKey: ["job", id, "budgetSettings"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/budget/settings", path(id))) });
export const useSaveBudget = (id: string) =>
  useChange(id, (body: Schemas["SaveBudget"]) => answer(client.POST("/api/jobs/{job_id}/budget/settings", { ...path(id), body })));
export const useAnswerFinding = (id: string) =>
  useChange(id, (body: Schemas["AnswerRequest"]) => answer(client.POST("/api/jobs/{job_id}/findings/answer", { ...path(id), body })));
