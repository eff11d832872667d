import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8420", "/stand-in": "http://127.0.0.1:8420" } },
  test: { environment: "jsdom", setupFiles: "src/setupTests.ts", maxWorkers: "100%", testTimeout: 20_000 },
});
