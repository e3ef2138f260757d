import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Problem } from "./api/client";
import { App } from "./app/App";
import "./app/tokens.css";

const queries = new QueryClient({
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
