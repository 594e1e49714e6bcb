import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link as RouterLink } from "react-router";

import { answer, api } from "../api/client";

/** The frame around every page: where one is, who one is. */
export function Shell({ name, children }: { name: string; children: ReactNode }) {
  const queries = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/session")),
    onSuccess: () => queries.resetQueries(),
  });
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <Box
        component="header"
        sx={{ display: "flex", alignItems: "center", gap: 2, px: 2, height: 44, borderBottom: 1, borderColor: "divider", bgcolor: "background.paper" }}
      >
        <Link component={RouterLink} to="/" underline="none" sx={{ fontWeight: 700, letterSpacing: 0.3, color: "primary.main" }}>
          Zerrit
        </Link>
        <Link component={RouterLink} to="/" color="text.secondary" underline="hover">
          Servers
        </Link>
        <Link component={RouterLink} to="/servers" color="text.secondary" underline="hover">
          All servers
        </Link>
        <Box sx={{ flex: 1 }} />
        <Link component={RouterLink} to="/account" variant="body2" color="text.secondary" underline="hover">
          {name}
        </Link>
        <Button color="inherit" onClick={() => { signOut.mutate(); }}>
          Sign out
        </Button>
      </Box>
      <Box component="main" sx={{ flex: 1, px: 2, py: 1.5, minWidth: 0 }}>
        {children}
      </Box>
    </Box>
  );
}
