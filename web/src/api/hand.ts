/** Who this page is for, and who is connected. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, client, Problem, setToken, type Schemas } from "./client";

const TRIED_AGAIN_MS = 3000;

/** The session of this page; while the program does not answer it is asked again by itself. */
export const useSession = () =>
  useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      const session = await answer(client.GET("/api/session"));
      setToken(session.csrf);
      return session;
    },
    retry: false,
    staleTime: Infinity,
    refetchInterval: ({ state }) => (state.error instanceof Problem && state.error.status === 0 ? TRIED_AGAIN_MS : false),
    refetchOnReconnect: "always",
  });

/** The name that this device signed in with; empty on the program's own machine. */
export const useWho = () => useQueryClient().getQueryData<Schemas["SessionView"]>(["session"])?.who ?? "";

export const useAbout = () => useQuery({ queryKey: ["about"], queryFn: () => answer(client.GET("/api/about")), staleTime: Infinity });

export const useSignIn = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationKey: ["session"],
    mutationFn: (body: Schemas["SignIn"]) => answer(client.POST("/api/session", { body })),
    onSuccess: (session) => {
      setToken(session.csrf);
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== "session" });
      queries.setQueryData(["session"], session);
    },
  });
};

export const useSignOut = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => answer(client.POST("/api/session/end")),
    onSettled: () => queries.resetQueries({ queryKey: ["session"] }),
  });
};

export const useHand = (enabled: boolean) =>
  useQuery({ queryKey: ["hand"], queryFn: () => answer(client.GET("/api/hand")), refetchInterval: 3000, enabled });

export const useHandChange = <T>(change: (wish: T) => Promise<Schemas["HandView"]>) => {
  const queries = useQueryClient();
  return useMutation({ mutationFn: change, onSuccess: (view) => queries.setQueryData(["hand"], view) });
};
export const useSetPassphrase = () =>
  useHandChange((body: Schemas["SetPassphrase"]) => answer(client.POST("/api/hand/passphrase", { body })));
export const useEndSession = () => useHandChange((session_id: string) => answer(client.POST("/api/hand/end", { body: { session_id } })));
