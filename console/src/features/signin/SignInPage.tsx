import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

export function SignInPage() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const queries = useQueryClient();
  const signIn = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session", { body: { name, password } })),
    onSuccess: () => queries.resetQueries(),
  });
  return (
    <Box sx={{ minHeight: "100vh", display: "grid", placeItems: "center", p: 2 }}>
      <Paper
        component="form"
        sx={{ p: 3, width: 340, display: "grid", gap: 1.5 }}
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <Typography variant="h1" color="primary">
          Zerrit
        </Typography>
        <Typography variant="body2" color="text.secondary">
          Your servers&apos; files, under change control.
        </Typography>
        <TextField label="Name" value={name} onChange={(e) => { setName(e.target.value); }} autoFocus autoComplete="username" />
        <TextField
          label="Password"
          type="password"
          value={password}
          onChange={(e) => { setPassword(e.target.value); }}
          autoComplete="current-password"
        />
        <ProblemNote error={signIn.error} />
        <Button type="submit" variant="contained" disabled={signIn.isPending}>
          Sign in
        </Button>
      </Paper>
    </Box>
  );
}
