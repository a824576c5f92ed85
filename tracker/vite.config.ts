import { defineConfig } from "vite";

export default defineConfig({
  build: {
    target: "es2018",
    lib: { entry: "src/main.ts", formats: ["iife"], name: "uc_", fileName: () => "uc.js" },
    minify: "oxc",
    copyPublicDir: false,
  },
});
