import { defineConfig } from "vitest/config";

export default defineConfig({
  resolve: {
    alias: { "@": new URL("./web/src", import.meta.url).pathname, "@tracker": new URL("./tracker/src", import.meta.url).pathname },
  },
  test: { include: ["tests/web/**/*.test.ts"], environment: "node", setupFiles: ["tests/web/setup.ts"] },
});
