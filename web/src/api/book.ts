/** The calls of the Book page, each a hook. */
import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";
import { asSent, PAGED, path, useChange } from "./queries";

export type BookFilter = Omit<Schemas["BookQuery"], "after">;

export const useBook = (id: string, filter: BookFilter) =>
  useInfiniteQuery({
    queryKey: ["job", id, "book", filter],
    queryFn: ({ pageParam: after }) =>
      answer(client.GET("/api/jobs/{job_id}/book", { params: { path: { job_id: id }, query: { ...filter, after } } })),
    ...PAGED,
    placeholderData: keepPreviousData,
  });
export const useBookLine = (id: string, line_id: string) =>
  useQuery({
    queryKey: ["job", id, "bookLine", line_id],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/book/lines/{line_id}", { params: { path: { job_id: id, line_id } } })),
  });
export const useDays = (id: string) =>
  useQuery({ queryKey: ["job", id, "days"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/book/days", path(id))).then((all) => all.days) });
export const useDaySheet = (id: string, day: string) =>
  useQuery({
    queryKey: ["job", id, "daySheet", day],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/book/days/{day}", { params: { path: { job_id: id, day } } })),
    enabled: day !== "",
  });
export const useTakeHome = (id: string) =>
  useQuery({ queryKey: ["job", id, "takeHome"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/take-home", path(id))) });
/** What speaks against points of the list; asked anew whenever the page opens. */
export const useDoubtfulPoints = (id: string) =>
  useQuery({ queryKey: ["job", id, "doubtfulPoints"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/doubtful-points", path(id))) });
export const useReports = (id: string) =>
  useQuery({
    queryKey: ["job", id, "reports"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/reports", path(id))).then((all) => all.reports),
  });
export const useAddNote = (id: string) =>
  useChange(id, (body: Schemas["NoteRequest"]) => answer(client.POST("/api/jobs/{job_id}/book/notes", { ...path(id), body })));
export const useAddWeather = (id: string) =>
  useChange(id, (body: Schemas["WeatherRequest"]) => answer(client.POST("/api/jobs/{job_id}/book/weather", { ...path(id), body })));
export const useAddPeople = (id: string) =>
  useChange(id, (body: Schemas["PeopleRequest"]) => answer(client.POST("/api/jobs/{job_id}/book/people", { ...path(id), body })));
export const useAddBookPhoto = (id: string) =>
  useChange(id, (file: File) =>
    answer(client.POST("/api/jobs/{job_id}/book/photo", { params: { path: { job_id: id }, query: { name: file.name } }, ...asSent(file) })),
  );
export const useSignDay = (id: string) =>
  useChange(id, (body: Schemas["SignRequest"]) => answer(client.POST("/api/jobs/{job_id}/book/sign", { ...path(id), body })));
export const useCrews = (id: string) =>
  useQuery({ queryKey: ["job", id, "crews"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/crews", path(id))).then((all) => all.differ) });
export const useSettleCrews = (id: string) =>
  useChange(id, (body: Schemas["SettleRequest"]) => answer(client.POST("/api/jobs/{job_id}/crews/settle", { ...path(id), body })));
