/// <reference types="vitest/config" />
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { createHash } from "node:crypto";
import { readdirSync, readFileSync } from "node:fs";
import { defineConfig, type Plugin } from "vite";

/** The worker that keeps the pages' files for a dead spot knows them by name. */
function worker(): Plugin {
  return {
    name: "worker",
    apply: "build",
    generateBundle(_, bundle) {
      const files = ["/", ...readdirSync("public").map((name) => `/${name}`), ...Object.keys(bundle).filter((name) => name !== "index.html").map((name) => `/${name}`)];
      const version = createHash("sha256").update(files.join()).digest("hex").slice(0, 12);
      const source = readFileSync("worker/sw.js", "utf8").replace("__FILES__", JSON.stringify(files)).replace("__VERSION__", version);
      this.emitFile({ type: "asset", fileName: "sw.js", source });
    },
  };
}

export default defineConfig({
  plugins: [react(), tailwindcss(), worker()],
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
