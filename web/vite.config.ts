/// <reference types="vitest/config" />
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../src/openstake/web_dist", emptyOutDir: true, target: "es2022" },
  // `make dev`: pages here, everything else at the server.
  // The server refuses writes from another site's page, so it is told the host the browser used.
  server: {
    host: "127.0.0.1",
    port: 8421,
    strictPort: true,
    proxy: { "/api": { target: "http://127.0.0.1:8420", changeOrigin: false } },
  },
  // The limit is against what hangs: two cores that build and test beside it are slow.
  test: { environment: "happy-dom", include: ["src/**/*.test.{ts,tsx}"], testTimeout: 30_000 },
});
