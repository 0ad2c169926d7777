import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: {
    chunkSizeWarningLimit: 1000,
    // What several views share comes as one file: forty small ones took longer to fetch.
    rolldownOptions: {
      output: { codeSplitting: { groups: [{ name: "shared", minShareCount: 2 }] } },
    },
  },
});
