import tailwindcss from "@tailwindcss/vite";
import process from "node:process";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

const server = process.env.DUSK_ADDRESS ?? "http://127.0.0.1:8460";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { chunkSizeWarningLimit: 900 },
  test: { include: ["tests/**/*.test.{ts,tsx}"] },
  server: {
    host: "127.0.0.1",
    fs: { allow: [".."] },
    proxy: { "/api": { target: server, changeOrigin: true, headers: { Origin: server } } },
  },
});
