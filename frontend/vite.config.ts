import tailwindcss from "@tailwindcss/vite";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";

export default defineConfig({
  resolve: { alias: { "@": new URL("./src", import.meta.url).pathname } },
  plugins: [vue(), tailwindcss()],
  build: {
    outDir: "../epistem/web/static",
    emptyOutDir: true,
    chunkSizeWarningLimit: 900,
  },
  server: { proxy: { "/api": process.env.EPISTEM_ADDRESS ?? "http://127.0.0.1:8400" } },
});
