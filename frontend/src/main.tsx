import { QueryClientProvider } from "@tanstack/react-query";
import { setNonce } from "get-nonce";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import "sonner/dist/styles.css";
import { Problem } from "./api/client";
import { Queries } from "./api/queries";
import "./look/tokens.css";
import { router } from "./shell/App";
import { followSystemTheme } from "./shell/theme";

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;
if (nonce) setNonce(nonce);
followSystemTheme();

const queries = new Queries({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      gcTime: 15 * 60_000,
      // The server may be on this machine or in this house: what the browser thinks of the
      // network says nothing about reaching it, and a paused read would never come back.
      networkMode: "always",
      retry: (count, error) => count < 2 && error instanceof Problem && (error.status === 0 || error.status >= 500),
    },
    // What cannot be sent says so and stays where it was typed; nothing goes out by itself later.
    mutations: { networkMode: "always" },
  },
});

const place = document.getElementById("app");
if (place)
  createRoot(place).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
