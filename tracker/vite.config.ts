import { readdirSync } from "node:fs";

import { build, defineConfig, type InlineConfig } from "vite";

const made = (entry: string, fileName: string, emptyOutDir: boolean): InlineConfig => ({
  configFile: false,
  logLevel: "warn",
  build: {
    target: "es2020",
    outDir: process.env.COMPASS_TRACKER_OUT ?? "dist",
    lib: { entry, formats: ["iife"], name: "uc_", fileName: () => fileName },
    minify: "oxc",
    copyPublicDir: false,
    emptyOutDir,
  },
});

/** The script, and each of its parts by itself: the server puts together what a site uses. */
export default defineConfig(({ command }) => ({
  ...made("src/main.ts", "uc.js", true),
  plugins: [
    {
      name: "parts",
      buildStart() {
        for (const file of readdirSync("src/parts")) this.addWatchFile(`${import.meta.dirname}/src/parts/${file}`);
      },
      async closeBundle() {
        if (command !== "build") return;
        for (const file of readdirSync("src/parts")) {
          const name = file.replace(/\.ts$/, "");
          await build(made(`src/parts/${file}`, `parts/${name}.js`, false));
        }
      },
    },
  ],
}));
