/** Every call to the server, each a hook. Keys begin with the job, so one event refreshes all that is stored of it. */
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, type Schemas } from "./client";

export const path = (job_id: string) => ({ params: { path: { job_id } } });

/** What is heard of a running base changes without an event. */
const LOOKED_AT_EVERY_MS = 5000;

/** Long lists come page by page: each says after what the next one begins. */
export const PAGED = { initialPageParam: "", getNextPageParam: (last: { next: string | null }) => last.next };
const pageOf = (job_id: string, after: string) => ({ params: { path: { job_id }, query: { after } } });

/** A file goes as it is. */
export const asSent = (file: File) => ({
  body: file as never,
  bodySerializer: (body: unknown) => body as never,
  headers: { "Content-Type": "application/octet-stream" },
});

export const useBackups = () =>
  useQuery({
    queryKey: ["backups"],
    queryFn: () => answer(client.GET("/api/backups")),
    refetchInterval: (query) => (query.state.data?.running || query.state.data?.last_s == null ? 2000 : 60_000),
  });
export const useBackUp = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => answer(client.POST("/api/backups")),
    onSettled: () => queries.invalidateQueries({ queryKey: ["backups"] }),
  });
};
export const useJobs = (text = "", archived = false) =>
  useQuery({
    queryKey: ["jobs", text, archived],
    queryFn: () => answer(client.GET("/api/jobs", { params: { query: { text, archived } } })).then((all) => all.jobs),
    placeholderData: (last) => last,
  });
/** Projected or vertical systems by words, and by a place that their area holds. */
export const useSystems = (kind: "systems" | "verticals", query: Schemas["SystemQuery"]) =>
  useQuery({
    queryKey: [kind, query],
    queryFn: () =>
      answer(kind === "systems" ? client.GET("/api/systems", { params: { query } }) : client.GET("/api/verticals", { params: { query } })).then(
        (all) => all.systems,
      ),
    enabled: (query.text ?? "").trim().length > 1 || ((query.latitude ?? "").trim() !== "" && (query.longitude ?? "").trim() !== ""),
    staleTime: Infinity,
    retry: false,
  });
export const useSystemForms = () =>
  useQuery({ queryKey: ["systemForms"], queryFn: () => answer(client.GET("/api/systems/forms")), staleTime: Infinity });
export const useTrySystem = (body: Schemas["TrySystem"] | null) =>
  useQuery({
    queryKey: ["try", body],
    queryFn: () => answer(client.POST("/api/systems/try", { body: body! })),
    enabled: body !== null,
    retry: false,
    placeholderData: (last) => last,
  });
export const useLength = (text: string, length_unit: Schemas["JobView"]["length_unit"]) =>
  useQuery({
    queryKey: ["length", text, length_unit],
    queryFn: () => answer(client.GET("/api/length", { params: { query: { text, length_unit } } })),
    enabled: text.trim() !== "",
    retry: false,
    staleTime: Infinity,
  });
export const useGeoids = () =>
  useQuery({ queryKey: ["geoids"], queryFn: () => answer(client.GET("/api/geoids")).then((all) => all.geoids) });
export const useHeights = (id: string) =>
  useQuery({ queryKey: ["job", id, "heights"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/heights", path(id))) });
export const useSystemView = (id: string) =>
  useQuery({ queryKey: ["job", id, "system"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/system", path(id))) });
export const useOperations = (id: string, source: string) =>
  useQuery({
    queryKey: ["job", id, "operations", source],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/operations", { params: { path: { job_id: id }, query: { source } } })),
    enabled: source !== "",
  });
/** The plan: its marks come with the first page of points, and all pages are drawn. */
export const usePlan = (id: string) =>
  useQuery({
    queryKey: ["job", id, "plan"],
    queryFn: async () => {
      const first = await answer(client.GET("/api/jobs/{job_id}/plan", pageOf(id, "")));
      const points = [...first.points];
      for (let { next } = first; next; ) {
        const page = await answer(client.GET("/api/jobs/{job_id}/plan", pageOf(id, next)));
        points.push(...page.points);
        next = page.next;
      }
      return { ...first, points };
    },
  });
export const useMarkVersions = (id: string, mark_id: string) =>
  useQuery({
    queryKey: ["job", id, "versions", mark_id],
    queryFn: () =>
      answer(client.GET("/api/jobs/{job_id}/marks/{mark_id}", { params: { path: { job_id: id, mark_id } } })).then((all) => all.versions),
  });
export const useBetween = (id: string, from_id: string | null, to_id: string | null) =>
  useQuery({
    queryKey: ["job", id, "between", from_id, to_id],
    queryFn: () =>
      answer(client.GET("/api/jobs/{job_id}/between", { params: { path: { job_id: id }, query: { from_id: from_id!, to_id: to_id! } } })),
    enabled: from_id !== null && to_id !== null && from_id !== to_id,
  });
export const useGear = () => useQuery({ queryKey: ["gear"], queryFn: () => answer(client.GET("/api/gear")) });
export const useProfileForm = () =>
  useQuery({ queryKey: ["profileForm"], queryFn: () => answer(client.GET("/api/profiles/form")), staleTime: Infinity });
export const useProfiles = (id: string) =>
  useQuery({
    queryKey: ["job", id, "profiles"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/profiles", path(id))).then((all) => all.profiles),
  });
export const useProfileVersions = (line_id: string) =>
  useQuery({
    queryKey: ["versions", line_id],
    queryFn: () =>
      answer(client.GET("/api/profiles/{line_id}/versions", { params: { path: { line_id } } })).then((all) => all.profiles),
    enabled: line_id !== "",
  });
export const useLink = (id: string, query: Schemas["LinkQuery"]) =>
  useQuery({
    queryKey: ["job", id, "link", query],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/link", { params: { path: { job_id: id }, query } })),
    retry: false,
    placeholderData: (last) => last,
  });
export const useCard = (id: string, pair: Schemas["PairQuery"]) =>
  useQuery({
    queryKey: ["job", id, "card", pair],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/link/card", { params: { path: { job_id: id }, query: pair } })),
  });
export const useReach = (id: string, query: Schemas["ReachRequest"]) =>
  useQuery({
    queryKey: ["job", id, "reach", query],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/link/reach", { params: { path: { job_id: id }, query } })),
    retry: false,
    placeholderData: (last) => last,
  });
export const usePacking = (id: string) =>
  useQuery({ queryKey: ["job", id, "packing"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/packing", path(id))) });
export const useJob = (id: string) =>
  useQuery({ queryKey: ["job", id, "job"], queryFn: () => answer(client.GET("/api/jobs/{job_id}", path(id))) });
/** The state of the job in one call: steps, links, open findings. What is heard of a running base changes without an event. */
export const useSteps = (id: string) =>
  useQuery({
    queryKey: ["job", id, "steps"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/steps", path(id))),
    refetchInterval: (query) =>
      query.state.data?.steps.some((item) => item.step === "base" && item.state !== "missing") ? LOOKED_AT_EVERY_MS : false,
  });
/** The first marks that hold a text, and how many there are: to find one by its name. */
export const useMarks = (id: string, text = "") =>
  useQuery({
    queryKey: ["job", id, "marks", text],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/marks", { params: { path: { job_id: id }, query: { text } } })),
    placeholderData: (last) => last,
  });
/** The control list page by page, or the marks taken out of it. */
export const useControl = (id: string, text: string, withdrawn: boolean) =>
  useInfiniteQuery({
    queryKey: ["job", id, "control", text, withdrawn],
    queryFn: ({ pageParam: after }) =>
      answer(client.GET("/api/jobs/{job_id}/marks", { params: { path: { job_id: id }, query: { text, withdrawn, after } } })),
    ...PAGED,
    placeholderData: (last) => last,
  });
export const useBase = (id: string) =>
  useQuery({
    queryKey: ["job", id, "base"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/base", path(id))),
    refetchInterval: (query) => (query.state.data?.occupation ? LOOKED_AT_EVERY_MS : false),
  });
export const useEarlier = (id: string) =>
  useQuery({
    queryKey: ["job", id, "earlier"],
    queryFn: () => answer(client.GET("/api/jobs/{job_id}/base/earlier", path(id))).then((all) => all.bases),
  });
export const useWatch = (id: string) =>
  useQuery({ queryKey: ["job", id, "watch"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/watch", path(id))) });
export const useChecks = (id: string) =>
  useInfiniteQuery({
    queryKey: ["job", id, "checks"],
    queryFn: ({ pageParam }) => answer(client.GET("/api/jobs/{job_id}/checks", pageOf(id, pageParam))),
    ...PAGED,
  });
export const useStand = (id: string) =>
  useQuery({ queryKey: ["job", id, "stand"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/stand", path(id))) });
export const usePracticeTime = (id: string) =>
  useQuery({ queryKey: ["job", id, "practice"], queryFn: () => answer(client.GET("/api/jobs/{job_id}/practice", path(id))) });
export const useHeight = (id: string, body: Schemas["HeightQuery"]) =>
  useQuery({
    queryKey: ["height", id, body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/height", { ...path(id), body })),
    enabled: body.reading.trim() !== "",
    retry: false,
    placeholderData: (last) => last,
  });

/** A change of a job: when it is done, all that is stored of the job is read again. */
export function useChange<Body, Result>(id: string, send: (body: Body) => Promise<Result>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSettled: () => queries.invalidateQueries({ queryKey: ["job", id] }) });
}

/** A change of what all jobs share: when it is done, everything read before is read again. */
function useSharedChange<Body, Result>(send: (body: Body) => Promise<Result>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.invalidateQueries() });
}

export const useCreateJob = () => useSharedChange((body: Schemas["NewJob"]) => answer(client.POST("/api/jobs", { body })));
export const useCopyJob = (id: string) =>
  useSharedChange((body: Schemas["CopyJob"]) => answer(client.POST("/api/jobs/{job_id}/copy", { ...path(id), body })));
export const useChangeJob = (job: Schemas["JobView"]) =>
  useSharedChange((changes: Schemas["JobChanges"]) =>
    answer(client.POST("/api/jobs/{job_id}/settings", { ...path(job.id), body: { replaces_id: job.settings_id, changes } })),
  );
/** A geoid grid may be large. */
export const useAddGeoid = () =>
  useSharedChange((file: File) => answer(client.POST("/api/geoids", { params: { query: { name: file.name } }, ...asSent(file) })));
/** The grid of a datum operation, under the name that the operation asks for it by. */
export const useAddDatumGrid = () =>
  useSharedChange((sent: { grid: string; file: File }) =>
    answer(client.POST("/api/datum-grids", { params: { query: { name: sent.grid } }, ...asSent(sent.file) })),
  );
export const useAddMark = (id: string) =>
  useChange(id, (values: Schemas["NewMark"]["values"]) => answer(client.POST("/api/jobs/{job_id}/marks", { ...path(id), body: { values } })));
export const useChangeMark = (id: string, mark_id: string) =>
  useChange(id, (body: Schemas["ChangeMark"]) =>
    answer(client.POST("/api/jobs/{job_id}/marks/{mark_id}", { params: { path: { job_id: id, mark_id } }, body })),
  );
export const useSaveGear = () => useSharedChange((body: Schemas["SaveGear"]) => answer(client.POST("/api/gear", { body })));
export const useWithdrawGear = () =>
  useSharedChange((item_id: string) => answer(client.DELETE("/api/gear/{item_id}", { params: { path: { item_id } } })));
export const useAntex = () =>
  useMutation({ mutationFn: (body: Schemas["FileSent"]) => answer(client.POST("/api/gear/antex", { body })) });
export const useNewProfile = () =>
  useMutation({
    mutationFn: (role: string) => answer(client.GET("/api/profiles/new", { params: { query: { role } } })).then((found) => found.values),
  });
export const useSaveProfile = () => useSharedChange((body: Schemas["SaveProfile"]) => answer(client.POST("/api/profiles", { body })));
export const useImportProfile = () =>
  useSharedChange((body: Schemas["FileSent"]) => answer(client.POST("/api/profiles/import", { body })));
export const useWithdrawProfile = () =>
  useSharedChange((profile_id: string) => answer(client.DELETE("/api/profiles/{profile_id}", { params: { path: { profile_id } } })));
export const useChooseProfile = (id: string) =>
  useChange(id, (body: Schemas["ChooseProfile"]) => answer(client.POST("/api/jobs/{job_id}/profiles", { ...path(id), body })));
export const useMend = (id: string) =>
  useChange(id, (body: Schemas["Mend"]) => answer(client.POST("/api/jobs/{job_id}/link/mend", { ...path(id), body })));
export const useSourceTable = (id: string) =>
  useMutation({
    mutationFn: (body: Schemas["CasterRequest"]) => answer(client.POST("/api/jobs/{job_id}/link/table", { ...path(id), body })),
  });
export const useTryMountpoint = (id: string) =>
  useMutation({
    mutationFn: ({ body, signal }: { body: Schemas["TryMountpoint"]; signal: AbortSignal }) =>
      answer(client.POST("/api/jobs/{job_id}/link/try", { ...path(id), body, signal })),
  });
export const useTakeMountpoint = (id: string) =>
  useChange(id, (body: Schemas["TakeMountpoint"]) => answer(client.POST("/api/jobs/{job_id}/link/mountpoint", { ...path(id), body })));
export const useTickCard = (id: string) =>
  useChange(id, (body: Schemas["TickCard"]) => answer(client.POST("/api/jobs/{job_id}/link/card", { ...path(id), body })));
export const useTick = (id: string) =>
  useChange(id, (body: Schemas["TickRequest"]) => answer(client.POST("/api/jobs/{job_id}/packing", { ...path(id), body })));
export const usePreviewControl = (id: string) =>
  useMutation({
    mutationFn: (body: Schemas["ControlFile"]) =>
      answer(client.POST("/api/jobs/{job_id}/control/preview", { ...path(id), body })),
  });
export const useAcceptControl = (id: string) =>
  useChange(id, (body: Schemas["ControlFile"]) =>
    answer(client.POST("/api/jobs/{job_id}/control/accept", { ...path(id), body })),
  );
export const useTakeOver = (id: string) =>
  useChange(id, (body: Schemas["TakeOver"]) => answer(client.POST("/api/jobs/{job_id}/control/take-over", { ...path(id), body })));
/** What is settled names the set-up that was looked at: what another has changed since is not overwritten. */
export const useSettle = (id: string) => {
  const queries = useQueryClient();
  return useChange(id, (body: Schemas["Settle"]) => {
    const seen = queries.getQueryData<Schemas["BaseView"]>(["job", id, "base"])?.setup?.row_id ?? null;
    return answer(client.POST("/api/jobs/{job_id}/base/setup", { ...path(id), body: { ...body, seen_id: seen } }));
  });
};
export const useDropSetUp = (id: string) =>
  useChange(id, () => answer(client.DELETE("/api/jobs/{job_id}/base/setup", path(id))));
export const useTakeSetUpUp = (id: string) =>
  useChange(id, () => answer(client.POST("/api/jobs/{job_id}/base/setup/again", path(id))));
export const useTickSetUp = (id: string) =>
  useChange(id, (body: Schemas["TickRequest"]) => answer(client.POST("/api/jobs/{job_id}/base/tick", { ...path(id), body })));
export const useAddPhoto = (id: string) =>
  useChange(id, (file: File) =>
    answer(client.POST("/api/jobs/{job_id}/base/photo", { params: { path: { job_id: id }, query: { name: file.name } }, ...asSent(file) })),
  );
export const useReadBaseHeight = (id: string) =>
  useChange(id, (body: Schemas["NewReading"]) => answer(client.POST("/api/jobs/{job_id}/base/readings", { ...path(id), body })));
export const useCorrectHeight = (id: string) =>
  useChange(id, (body: Schemas["CorrectHeight"]) => answer(client.POST("/api/jobs/{job_id}/base/height", { ...path(id), body })));
export const useBeginAverage = (id: string) =>
  useChange(id, (body: Schemas["AverageRequest"]) => answer(client.POST("/api/jobs/{job_id}/base/average", { ...path(id), body })));
export const useCancelAverage = (id: string) =>
  useChange(id, () => answer(client.DELETE("/api/jobs/{job_id}/base/average", path(id))));
export const useAverageLog = (id: string) =>
  useChange(id, ({ file, ...of }: { file: File } & Omit<Schemas["LogQuery"], "name">) =>
    answer(
      client.POST("/api/jobs/{job_id}/base/average/log", { params: { path: { job_id: id }, query: { name: file.name, ...of } }, ...asSent(file) }),
    ),
  );
export const useStartBase = (id: string) =>
  useChange(id, (body: Schemas["StartBase"]) => answer(client.POST("/api/jobs/{job_id}/base/start", { ...path(id), body })));
export const useListenElsewhere = (id: string) =>
  useChange(id, (body: Schemas["Listen"]) => answer(client.POST("/api/jobs/{job_id}/base/listen", { ...path(id), body })));
export const useEndBase = (id: string) =>
  useChange(id, () => answer(client.POST("/api/jobs/{job_id}/base/end", path(id))));
export const useSwitchLog = (id: string) =>
  useChange(id, (on: boolean) => answer(client.POST("/api/jobs/{job_id}/base/log", { ...path(id), body: { on } })));
export const usePreviewSolution = (id: string) =>
  useMutation({
    mutationFn: (body: Schemas["SolutionRequest"]) => answer(client.POST("/api/jobs/{job_id}/base/solution/preview", { ...path(id), body })),
  });
export const useApplySolution = (id: string) =>
  useChange(id, (body: Schemas["SolutionRequest"]) => answer(client.POST("/api/jobs/{job_id}/base/solution", { ...path(id), body })));
export const useRestoreCoordinate = (id: string) =>
  useChange(id, (body: Schemas["RestoreCoordinate"]) => answer(client.POST("/api/jobs/{job_id}/base/coordinate", { ...path(id), body })));
export const useTakeAnew = (id: string) =>
  useChange(id, (body: Schemas["TakeAnew"]) => answer(client.POST("/api/jobs/{job_id}/base/coordinate/anew", { ...path(id), body })));
export const useRecordCheck = (id: string) =>
  useChange(id, (body: Schemas["CheckRequest"]) => answer(client.POST("/api/jobs/{job_id}/checks", { ...path(id), body })));
export const useMoveStand = (id: string) =>
  useChange(id, (body: Schemas["StandRequest"]) => answer(client.POST("/api/jobs/{job_id}/stand", { ...path(id), body })));
export const useLetTimePass = (id: string) =>
  useChange(id, (seconds: number) => answer(client.POST("/api/jobs/{job_id}/practice/wait", { ...path(id), body: { seconds } })));
export const useCutLink = (id: string) =>
  useChange(id, (seconds: number) => answer(client.POST("/api/jobs/{job_id}/practice/cut", { ...path(id), body: { seconds } })));
export const useReadSolution = (id: string, occupation_id: string) =>
  useMutation({
    mutationFn: (body: Schemas["SolutionSent"]) =>
      answer(client.POST("/api/jobs/{job_id}/bases/{occupation_id}/solution/read", { params: { path: { job_id: id, occupation_id } }, body })),
  });
/** What lies between a solution's frame and the job's, while it is typed. */
export const useSolutionFrame = (id: string, body: { occupation_id: string; frame: string; epoch: string }) =>
  useQuery({
    queryKey: ["job", id, "solutionFrame", body],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/base/solution/frame", { ...path(id), body })),
    enabled: body.frame.trim().length > 2,
    retry: false,
    placeholderData: (last) => last,
  });
