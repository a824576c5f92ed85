import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  resolve: { alias: { "@": new URL("./src", import.meta.url).pathname } },
  build: {
    target: "es2022",
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
    rollupOptions: {
      output: {
        // What every view stands on comes as one file: left alone, it falls into many small ones, which weigh more together.
        codeSplitting: {
          groups: [
            {
              name: "frame",
              test: /web\/src\/(ui\/(Menu|Toast|surfaces|Button|icons|text|states)|state\/|ledger\/FigureButton|words\/(format|comparing))/,
            },
          ],
        },
      },
    },
  },
  // All that the application answers itself comes through the same address as the screens.
  server: {
    proxy: Object.fromEntries(
      ["/api", "/uc.js", "/collect", "/mill", "/health", "/metrics"].map((path) => [path, process.env.COMPASS_API ?? "http://127.0.0.1:7300"]),
    ),
  },
});
