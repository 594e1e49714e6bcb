import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { ApiProblem } from "./api/client";
import { App } from "./App";
import { theme } from "./theme";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // What the service refuses it will refuse again; only a lost connection is worth another try.
      retry: (count, error) => !(error instanceof ApiProblem && error.status > 0) && count < 2,
    },
  },
});

const RELOADED = "zerrit.reloaded";

// A page that is open while the service gets a new version asks for parts that are gone. Typed text survives the reload.
window.addEventListener("vite:preloadError", (event) => {
  if (Date.now() - Number(sessionStorage.getItem(RELOADED) ?? 0) < 10_000) return;
  sessionStorage.setItem(RELOADED, String(Date.now()));
  event.preventDefault();
  window.location.reload();
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <ThemeProvider theme={theme}>
        <CssBaseline />
        <QueryClientProvider client={queries}>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </QueryClientProvider>
      </ThemeProvider>
    </StrictMode>,
  );
}
