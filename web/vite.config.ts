import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: {
    outDir: "dist",
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 700,
    // The public pages are written by the server: it looks up their style and script in the list of files.
    manifest: true,
    rollupOptions: { input: ["index.html", "src/public/pages.css", "src/public/main.tsx"] },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8474", "/catalog": "http://127.0.0.1:8474" } },
});
