import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState, type ReactNode } from "react";
import { Link as RouterLink } from "react-router";

import { answer, api } from "../api/client";
import { takesKeys } from "./isTyped";

const GoTo = lazy(async () => ({ default: (await import("../features/find/GoTo")).GoTo }));
const KeyboardHelp = lazy(async () => ({ default: (await import("../features/find/KeyboardHelp")).KeyboardHelp }));

/** The frame around every page: where one is, the way to anything, who one is. */
export function Shell({ name, children }: { name: string; children: ReactNode }) {
  const [asked, setAsked] = useState<"goto" | "keys" | null>(null);
  const close = () => { setAsked(null); };
  const queries = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/session")),
    onSuccess: () => queries.resetQueries(),
  });
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && !event.shiftKey && event.key.toLowerCase() === "k") setAsked("goto");
      else if (event.key === "?" && !takesKeys(event.target)) setAsked("keys");
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", pressed);
    return () => { window.removeEventListener("keydown", pressed); };
  }, []);
  return (
    <Box sx={{ height: "100dvh", display: "flex", flexDirection: "column", overflow: "hidden" }}>
      <Box
        component="header"
        sx={{ display: "flex", alignItems: "center", gap: { xs: 1, sm: 2 }, px: { xs: 1.5, sm: 2 }, height: 44, flexShrink: 0, borderBottom: 1, borderColor: "divider", bgcolor: "background.paper", whiteSpace: "nowrap" }}
      >
        <Link component={RouterLink} to="/" underline="none" sx={{ fontWeight: 700, letterSpacing: 0.3, color: "primary.main" }}>
          Zerrit
        </Link>
        <Link component={RouterLink} to="/" color="text.secondary" underline="hover">
          Servers
        </Link>
        <Link component={RouterLink} to="/servers" color="text.secondary" underline="hover" sx={{ display: { xs: "none", sm: "inline" } }}>
          All servers
        </Link>
        <Link component={RouterLink} to="/shelf" color="text.secondary" underline="hover" sx={{ display: { xs: "none", sm: "inline" } }}>
          Shelf
        </Link>
        <Box sx={{ flex: 1 }} />
        <Button color="inherit" variant="outlined" title="Ctrl+K" onClick={() => { setAsked("goto"); }} sx={{ color: "text.secondary", borderColor: "divider" }}>
          Go to …
        </Button>
        <Button color="inherit" aria-label="Keys" title="Keys: ?" onClick={() => { setAsked("keys"); }} sx={{ minWidth: 28, display: { xs: "none", sm: "inline-flex" } }}>?</Button>
        <Link component={RouterLink} to="/account" variant="body2" color="text.secondary" underline="hover">
          {name}
        </Link>
        <Button color="inherit" onClick={() => { signOut.mutate(); }}>
          Sign out
        </Button>
      </Box>
      <Box component="main" sx={{ flex: 1, minHeight: 0, minWidth: 0, display: "flex", flexDirection: "column" }}>
        {children}
      </Box>
      <Suspense>
        {asked === "goto" && <GoTo onClose={close} />}
        {asked === "keys" && <KeyboardHelp onClose={close} />}
      </Suspense>
    </Box>
  );
}
