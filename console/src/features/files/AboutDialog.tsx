import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";

import { answer, api, type Schemas } from "../../api/client";
import { effectWord } from "../../shared/effects";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";

interface Props {
  serverId: string;
  address: string;
  onClose: () => void;
}

/** What a place is, what it is linked with, its default, and who changed it when. */
export function AboutDialog({ serverId, address, onClose }: Props) {
  const about = useQuery({
    queryKey: ["about", serverId, address],
    queryFn: () =>
      answer(api.GET("/api/v1/servers/{server_id}/about", { params: { path: { server_id: serverId }, query: { address } } })),
    retry: false,
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle><Mono>{address}</Mono></DialogTitle>
      <DialogContent>
        <ProblemNote error={about.error} />
        {about.data && <Known about={about.data} />}
      </DialogContent>
      <DialogActions><Button onClick={onClose}>Close</Button></DialogActions>
    </Dialog>
  );
}

function Known({ about }: { about: Schemas["AboutOut"] }) {
  const { place } = about;
  const facts: [string, string][] = [
    ["value", place.value ?? place.source],
    ["default", place.default === null ? "" : place.default === place.value ? "the same" : place.default],
    ["allowed", place.allowed],
    ["what it is", [place.note, place.comment].filter(Boolean).join(" · ")],
    ["takes effect", effectWord(about.takes_effect)],
  ];
  return (
    <>
      <Table sx={{ mb: 1.5 }}>
        <TableBody>
          {facts.filter(([, text]) => text !== "").map(([word, text]) => (
            <TableRow key={word}>
              <TableCell sx={{ width: 130, color: "text.secondary" }}>{word}</TableCell>
              <TableCell sx={{ whiteSpace: "pre-wrap" }}>{word === "value" || (word === "default" && text !== "the same") ? <Mono>{text}</Mono> : text}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <References title="It refers to" references={about.refers_to} />
      <References title="Referred to by" references={about.referred_by} />
      <Typography variant="h2" gutterBottom>Its values so far, the newest first</Typography>
      <Table>
        <TableBody>
          {about.history.map((past) => (
            <TableRow key={past.snapshot}>
              <TableCell sx={{ whiteSpace: "nowrap" }}>{when(past.at)}</TableCell>
              <TableCell><Mono>{past.value ?? "absent"}</Mono></TableCell>
              <TableCell>
                {past.person && `${past.person}, `}{past.change !== null && `change ${String(past.change)}: `}{past.reason}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </>
  );
}

const MOST = 12;

function References({ title, references }: { title: string; references: Schemas["ReferenceOut"][] }) {
  if (references.length === 0) return null;
  return (
    <Box sx={{ mb: 1.5 }}>
      <Typography variant="h2" gutterBottom>{title}</Typography>
      {references.slice(0, MOST).map((reference) => (
        <Box key={reference.address}><Mono>{reference.address}</Mono> <Box component="span" sx={{ color: "text.secondary" }}>line {reference.line}; {reference.what}</Box></Box>
      ))}
      {references.length > MOST && <Box sx={{ color: "text.secondary" }}>and {references.length - MOST} others</Box>}
    </Box>
  );
}
