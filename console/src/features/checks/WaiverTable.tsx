import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";

/** The waivers of a server. One that accepts nothing any more is marked, since it would hide the next fault there. */
export function WaiverTable({ serverId }: { serverId: string }) {
  const queries = useQueryClient();
  const waivers = useQuery({
    queryKey: ["waivers", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/waivers", { params: { path: { server_id: serverId } } })),
  });
  const takeBack = useMutation({
    mutationFn: (waiver: number) =>
      answer(
        api.DELETE("/api/v1/servers/{server_id}/waivers/{waiver_id}", { params: { path: { server_id: serverId, waiver_id: waiver } } }),
      ),
    onSuccess: () => askAgain(queries),
  });
  if (waivers.error) return <ProblemNote error={waivers.error} />;
  if (!waivers.data?.length) return <Typography variant="body2" color="text.secondary">No finding of this server is waived.</Typography>;
  return (
    <Paper sx={{ overflowX: "auto" }}>
      <ProblemNote error={takeBack.error} />
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>Waiver</TableCell>
            <TableCell>Finding and address</TableCell>
            <TableCell>Reason</TableCell>
            <TableCell>Until</TableCell>
            <TableCell component="td" />
          </TableRow>
        </TableHead>
        <TableBody>
          {waivers.data.map((waiver) => (
            <TableRow key={waiver.id}>
              <TableCell><KindMark kind={waiver.state} /></TableCell>
              <TableCell>{waiver.code}<br /><Mono>{waiver.address}</Mono></TableCell>
              <TableCell>{waiver.reason}<br />{waiver.author}</TableCell>
              <TableCell>{waiver.until ? lastDay(waiver.until) : "for good"}</TableCell>
              <TableCell align="right">
                <Button color="inherit" disabled={takeBack.isPending} onClick={() => { takeBack.mutate(waiver.id); }}>Remove</Button>
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Paper>
  );
}

/** A waiver ends at the first moment of the day after its last one. */
function lastDay(until: string): string {
  return new Date(new Date(until).getTime() - 1000).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
}
