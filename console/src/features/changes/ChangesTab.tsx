import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";

/** The changes of a server, and the way to open another. */
export function ChangesTab({ server }: { server: Schemas["ServerOut"] }) {
  const serverId = server.id;
  const [title, setTitle] = useState("");
  const navigate = useNavigate();
  const params = { path: { server_id: serverId } };
  const changes = useQuery({
    queryKey: ["changes", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/changes", { params })),
  });
  const open = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/servers/{server_id}/changes", { params, body: { title } })),
    onSuccess: (change) => navigate(`/changes/${String(change.id)}`),
  });
  return (
    <>
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, mb: 1 }}
        onSubmit={(event) => {
          event.preventDefault();
          open.mutate();
        }}
      >
        <TextField label="What is the new change for?" value={title} onChange={(event) => { setTitle(event.target.value); }} sx={{ width: 420 }} />
        <Button type="submit" variant="contained" disabled={!title.trim() || open.isPending}>
          Open a change
        </Button>
      </Box>
      <ProblemNote error={changes.error ?? open.error} />
      {changes.data?.length === 0 && <Typography sx={{ p: 2 }}>No changes yet. Enter a title to create the first one.</Typography>}
      {changes.isLoading && <Loading />}
      {changes.data && changes.data.length > 0 && (
        <Paper sx={{ overflowX: "auto" }}>
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Change</TableCell>
                <TableCell>State</TableCell>
                <TableCell align="right">Steps</TableCell>
                <TableCell>Author</TableCell>
                <TableCell>Last edited</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {changes.data.map((change) => (
                <TableRow key={change.id} hover>
                  <TableCell>
                    <Link component={RouterLink} to={`/changes/${String(change.id)}`}>
                      {change.id}: {change.title}
                    </Link>
                  </TableCell>
                  <TableCell><KindMark kind={change.state} /></TableCell>
                  <TableCell align="right">{change.steps}</TableCell>
                  <TableCell>{change.author}</TableCell>
                  <TableCell>{when(change.updated_at)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Paper>
      )}
    </>
  );
}
