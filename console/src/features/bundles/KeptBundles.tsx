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
import { useRef, useState } from "react";

import { answer, api } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";
import { megabytes } from "./megabytes";

const QUERY = ["bundles", "kept"];

/** The archives that are kept, and a place to drop another one. */
export function KeptBundles({ onLook }: { onLook: (bundle: number) => void }) {
  const [origin, setOrigin] = useState("");
  const [isOver, setOver] = useState(false);
  const chooser = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const kept = useQuery({ queryKey: QUERY, queryFn: () => answer(api.GET("/api/v1/bundles")) });
  const keep = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.set("file", file);
      form.set("origin", origin);
      return answer(api.POST("/api/v1/bundles/archive", { body: { file: "", origin }, bodySerializer: () => form }));
    },
    onSuccess: async (bundle) => {
      await queries.invalidateQueries({ queryKey: QUERY });
      onLook(bundle.id);
    },
  });
  const forget = useMutation({
    mutationFn: (id: number) => answer(api.DELETE("/api/v1/bundles/{bundle_id}", { params: { path: { bundle_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: QUERY }),
  });
  return (
    <Paper sx={{ p: 1.5, overflowX: "auto" }} component="section" aria-label="Kept bundles">
      <Typography variant="h2" gutterBottom>Kept bundles</Typography>
      <Box
        onDragOver={(event) => { event.preventDefault(); setOver(true); }}
        onDragLeave={() => { setOver(false); }}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          const file = event.dataTransfer.files[0];
          if (file) keep.mutate(file);
        }}
        sx={{ display: "flex", gap: 1, flexWrap: "wrap", alignItems: "center", p: 1.25, mb: 1, border: 1, borderStyle: "dashed", borderColor: isOver ? "primary.main" : "divider", borderRadius: 1 }}
      >
        <Typography variant="body2" sx={{ flex: 1, minWidth: 240 }}>
          Drop a ZIP or TAR of a plugin, mod, map or pack here. It is looked into before any of it goes to the server.
        </Typography>
        <TextField label="Downloaded from" value={origin} onChange={(event) => { setOrigin(event.target.value); }} sx={{ width: 220 }} />
        <input ref={chooser} type="file" hidden aria-label="Archive" accept=".zip,.tar,.gz,.tgz,.bz2,.xz" onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) keep.mutate(file);
          event.target.value = "";
        }} />
        <Button variant="outlined" disabled={keep.isPending} onClick={() => { chooser.current?.click(); }}>{keep.isPending ? "Reading …" : "Choose an archive"}</Button>
      </Box>
      <ProblemNote error={keep.error ?? kept.error ?? forget.error} />
      {kept.isLoading && <Loading lines={3} />}
      {kept.data && kept.data.length > 0 && (
        <Table>
          <TableHead>
            <TableRow>
              <TableCell>Name</TableCell>
              <TableCell>Version</TableCell>
              <TableCell>File</TableCell>
              <TableCell align="right">Files</TableCell>
              <TableCell align="right">Size</TableCell>
              <TableCell>Kept</TableCell>
              <TableCell>Downloaded from</TableCell>
              <TableCell component="td" />
            </TableRow>
          </TableHead>
          <TableBody>
            {kept.data.map((one) => (
              <TableRow key={one.id} hover>
                <TableCell>{one.name}</TableCell>
                <TableCell>{one.version}</TableCell>
                <TableCell sx={{ overflowWrap: "anywhere" }}>{one.file_name}</TableCell>
                <TableCell align="right">{one.files.toLocaleString()}</TableCell>
                <TableCell align="right" sx={{ whiteSpace: "nowrap" }}>{megabytes(one.size)}</TableCell>
                <TableCell sx={{ whiteSpace: "nowrap" }}>{when(one.kept_at)} by {one.person}</TableCell>
                <TableCell sx={{ overflowWrap: "anywhere" }}>{one.origin}</TableCell>
                <TableCell align="right" sx={{ whiteSpace: "nowrap" }}>
                  <Button size="small" onClick={() => { onLook(one.id); }} aria-label={`Look into ${one.file_name}`}>Look into it</Button>
                  <Button size="small" color="inherit" disabled={forget.isPending} onClick={() => { forget.mutate(one.id); }} aria-label={`Forget ${one.file_name}`}>Forget</Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Paper>
  );
}
