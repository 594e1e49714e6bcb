import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";

import { answer, api } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { usePageTitle } from "../../shared/usePageTitle";
import { when } from "../../shared/when";
import { KeepForm } from "./KeepForm";
import { KeptSnippet } from "./KeptSnippet";

/** Snippets that are kept, with where each of them was put. */
export function ShelfPage() {
  usePageTitle("Shelf");
  const [params, setParams] = useSearchParams();
  const open = params.get("snippet");
  const found = useQuery({ queryKey: ["shelf"], queryFn: () => answer(api.GET("/api/v1/shelf")) });
  if (open !== null) return <KeptSnippet key={open} name={open} onClose={() => { setParams({}); }} />;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      <Typography variant="h1">Shelf</Typography>
      <Typography variant="body2">Snippets to put into files again and again, with words in braces that are filled in each time. When one changes here, the places where it was put can be brought up to date.</Typography>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data?.length === 0 && <Alert severity="info" variant="outlined">The shelf is empty. Keep a snippet below.</Alert>}
      {found.data && found.data.length > 0 && (
        <Paper sx={{ overflowX: "auto" }}>
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Name</TableCell>
                <TableCell>Title</TableCell>
                <TableCell>For</TableCell>
                <TableCell>Parameters</TableCell>
                <TableCell align="right">Places</TableCell>
                <TableCell>Changed</TableCell>
                <TableCell component="td" />
              </TableRow>
            </TableHead>
            <TableBody>
              {found.data.map((one) => (
                <TableRow key={one.name} hover>
                  <TableCell sx={{ fontWeight: 600 }}>{one.name}</TableCell>
                  <TableCell>{one.title}</TableCell>
                  <TableCell><Mono>{one.path}</Mono></TableCell>
                  <TableCell>{Object.keys(one.parameters).join(", ")}</TableCell>
                  <TableCell align="right">{one.uses}</TableCell>
                  <TableCell sx={{ whiteSpace: "nowrap" }}>{when(one.changed_at)} by {one.person}</TableCell>
                  <TableCell align="right"><Button size="small" onClick={() => { setParams({ snippet: one.name }); }} aria-label={`Open ${one.name}`}>Open</Button></TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Paper>
      )}
      <KeepForm />
    </Box>
  );
}
