import react from "@vitejs/plugin-react";
import tailwindcss from "@tailwindcss/vite";
import { defineConfig, type Plugin } from "vite";

/**
 * Sonner inserts its styles as an inline <style> when loaded, which a strict
 * Content-Security-Policy refuses. Its own CSS file is imported instead, and the call
 * that inserts is taken out here.
 */
function withoutInsertedStyles(): Plugin {
  return {
    name: "without-inserted-styles",
    transform(code, id) {
      if (!id.includes("sonner/dist/index")) return null;
      return code.replace(/^__insertCSS\(.*\);?$/m, "").replace(/(\s)__insertCSS\("[^\n]*"\);/, "$1");
    },
  };
}

export default defineConfig({
  plugins: [react(), tailwindcss(), withoutInsertedStyles()],
  build: {
    manifest: true,
    outDir: "dist",
    sourcemap: false,
    chunkSizeWarningLimit: 700,
    rolldownOptions: {
      output: {
        // A few files and not dozens: what several screens share comes as one.
        codeSplitting: {
          groups: [
            { name: "libraries", test: /node_modules/, minShareCount: 6, priority: 2 },
            { name: "shared", test: /[\\/]src[\\/]/, minShareCount: 3, priority: 1 },
          ],
        },
      },
    },
  },
  server: {
    port: 5173,
    proxy: { "/api": { target: "http://localhost:8000", changeOrigin: false } },
  },
});
