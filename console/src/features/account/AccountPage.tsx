import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { when } from "../../shared/when";
import { People } from "./People";

/** Your own account: where you are signed in, your password; who else may sign in; and whether a row of the activity log was altered or removed. */
export function AccountPage({ name }: { name: string }) {
  return (
    <>
      <Trail steps={[{ name: "Servers", to: "/" }]} title={name} />
      <Tokens />
      <Password />
      <People />
      <ActivityLog />
    </>
  );
}

function Tokens() {
  const queries = useQueryClient();
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: () => answer(api.GET("/api/v1/tokens")) });
  const revoke = useMutation({
    mutationFn: (id: number) => answer(api.DELETE("/api/v1/tokens/{token_id}", { params: { path: { token_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["tokens"] }),
  });
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>Sessions and tokens</Typography>
      <ProblemNote error={tokens.error ?? revoke.error} />
      <Box sx={{ overflowX: "auto" }}>
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Kind</TableCell>
              <TableCell>Name</TableCell>
              <TableCell>Created</TableCell>
              <TableCell>Last used</TableCell>
              <TableCell>Ends</TableCell>
              <TableCell component="td" />
            </TableRow>
          </TableHead>
          <TableBody>
            {tokens.data?.map((token) => (
              <TableRow key={token.id} hover>
                <TableCell>{token.kind === "session" ? "Console" : "Token"}</TableCell>
                <TableCell sx={{ overflowWrap: "anywhere" }}>{token.label}</TableCell>
                <TableCell>{when(token.created_at)}</TableCell>
                <TableCell>{token.used_at === null ? "not yet" : when(token.used_at)}</TableCell>
                <TableCell>{when(token.expires_at)}</TableCell>
                <TableCell align="right">
                  {token.is_this ? "this one" : (
                    <Button onClick={() => { revoke.mutate(token.id); }} disabled={revoke.isPending}>Revoke</Button>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Box>
    </Paper>
  );
}

function Password() {
  const queries = useQueryClient();
  const [old, setOld] = useState("");
  const [first, setFirst] = useState("");
  const [again, setAgain] = useState("");
  const change = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/me/password", { body: { old, new: first } })),
    onSuccess: () => {
      setOld("");
      setFirst("");
      setAgain("");
      return queries.invalidateQueries({ queryKey: ["tokens"] });
    },
  });
  const differs = again !== "" && first !== again;
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>Change your password</Typography>
      <Typography color="text.secondary" gutterBottom>All your other sessions and tokens end; this one stays.</Typography>
      <ProblemNote error={change.error} />
      {change.isSuccess && <Alert severity="success">The password is changed, and everything else is signed out.</Alert>}
      <Box
        component="form"
        onSubmit={(event) => { event.preventDefault(); change.mutate(); }}
        sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "flex-start", mt: 1 }}
      >
        <TextField label="Current password" type="password" autoComplete="current-password" value={old} onChange={(event) => { setOld(event.target.value); }} />
        <TextField label="New password" type="password" autoComplete="new-password" value={first} onChange={(event) => { setFirst(event.target.value); }} helperText="At least 8 characters" />
        <TextField label="New password again" type="password" autoComplete="new-password" value={again} onChange={(event) => { setAgain(event.target.value); }} error={differs} helperText={differs ? "Not the same" : " "} />
        <Button type="submit" variant="contained" disabled={old === "" || first.length < 8 || first !== again || change.isPending}>Change password</Button>
      </Box>
    </Paper>
  );
}

function ActivityLog() {
  const chain = useQuery({ queryKey: ["activity chain"], queryFn: () => answer(api.GET("/api/v1/activity/chain")), enabled: false });
  return (
    <Paper sx={{ p: 1.5, mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>Activity log</Typography>
      <Typography color="text.secondary" gutterBottom>Each row is bound to the one before it, so an altered or removed row is detected.</Typography>
      <ProblemNote error={chain.error} />
      {chain.data?.faults.length === 0 && <Alert severity="success">{chain.data.rows.toLocaleString()} rows verified: none was altered or removed.</Alert>}
      {chain.data && chain.data.faults.length > 0 && (
        <Alert severity="error">{chain.data.faults.map((fault) => <Box key={fault}>{fault}</Box>)}</Alert>
      )}
      <Button onClick={() => { void chain.refetch(); }} disabled={chain.isFetching} sx={{ mt: 1 }}>Verify the log</Button>
    </Paper>
  );
}
