import { svelte } from "@sveltejs/vite-plugin-svelte";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [svelte({ configFile: false })],
  build: { outDir: "../src/yaila/api/site", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8471" } },
  resolve: { conditions: ["browser"] },
  // Those that need a page say so themselves. A busy machine may take its time.
  test: { include: ["src/**/*.test.ts"], isolate: false, testTimeout: 30_000 },
});
