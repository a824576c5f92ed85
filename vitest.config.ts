import { defineConfig } from "vitest/config";

export default defineConfig({
  resolve: {
    alias: { "@": new URL("./web/src", import.meta.url).pathname, "@tracker": new URL("./tracker/src", import.meta.url).pathname },
  },
  test: {
    include: ["tests/web/**/*.test.ts"],
    environment: "node",
    setupFiles: ["tests/web/setup.ts"],
    // What is read in once serves all: most of a file of its own would be reading it in again.
    pool: "threads",
    isolate: false,
  },
});
