import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Problem } from "./api/client";
import { App } from "./app/App";
import "./app/tokens.css";

/** Who was signed out hears it at the next thing asked, whatever that is. */
const onError = (error: unknown) => {
  if (error instanceof Problem && error.status === 401) void queries.invalidateQueries({ queryKey: ["session"] });
};

const queries: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: (error, { queryKey }) => queryKey[0] !== "session" && onError(error) }),
  mutationCache: new MutationCache({ onError: (error, _, __, { options }) => options.mutationKey?.[0] !== "session" && onError(error) }),
  defaultOptions: {
    queries: {
      // A problem that the server explains is not asked again; a server that is away is.
      retry: (count, error) => !(error instanceof Problem && error.status > 0) && count < 2,
      refetchOnWindowFocus: false,
      staleTime: 1000,
    },
  },
});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
