import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const server = process.env.GRAINPOCKET_SERVER ?? "http://127.0.0.1:8000";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../grainpocket/web/static", emptyOutDir: true, assetsInlineLimit: 0, target: "es2022" },
  worker: { format: "es" },
  server: { host: "127.0.0.1", port: 5173, strictPort: true, proxy: { "/api": server } },
});
