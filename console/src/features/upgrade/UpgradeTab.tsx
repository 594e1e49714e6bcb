import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
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
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { counted, DifferenceTable } from "../../shared/DifferenceTable";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { ConflictTable } from "./ConflictTable";
import { KeyNotes } from "./KeyNotes";

type Upgrade = Schemas["UpgradeOut"];

const VENDOR_WORDS = { title: "Conflicts: changed here and by the vendor", mine: "as here", theirs: "the vendor’s" };

/** Carry the server's own changes over to new defaults: what merges automatically, what conflicts, and the change that it makes. */
export function UpgradeTab({ server }: { server: Schemas["ServerOut"] }) {
  const labels = [...server.defaults].reverse();
  const [old, setOld] = useState(labels[0] ?? "");
  const [fresh, setFresh] = useState(labels.at(-1) ?? "");
  const isPair = old !== "" && fresh !== "" && old !== fresh;
  const params = { path: { server_id: server.id } };
  const plan = useQuery({
    queryKey: ["upgrade", server.id, old, fresh, server.last_snapshot?.id],
    queryFn: () => answer(api.POST("/api/v1/servers/{server_id}/upgrade-plan", { params, body: { old, new: fresh, title: "", choices: {}, rest: "" } })),
    enabled: isPair,
  });
  if (labels.length < 2) {
    return (
      <Typography sx={{ p: 2 }}>
        An upgrade needs the defaults of two versions: those that these files are from, and the new ones.
        {labels.length === 1 ? ` ${labels[0] ?? ""} is here; import the new ones above.` : " Import both above."}
      </Typography>
    );
  }
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, mb: 1, alignItems: "center" }}>
        <VersionField label="Upgrade from" value={old} labels={labels} onChange={setOld} />
        <VersionField label="Upgrade to" value={fresh} labels={labels} onChange={setFresh} />
        {!isPair && <Typography variant="body2" color="text.secondary">Choose two different versions.</Typography>}
      </Box>
      <ProblemNote error={plan.error} />
      {plan.isLoading && <Loading />}
      {isPair && plan.data && <Planned key={`${old} ${fresh}`} upgrade={plan.data} />}
    </>
  );
}

function VersionField({ label, value, labels, onChange }: { label: string; value: string; labels: string[]; onChange: (value: string) => void }) {
  return (
    <TextField select label={label} value={value} onChange={(event) => { onChange(event.target.value); }} sx={{ width: 180 }}>
      {labels.map((one) => <MenuItem key={one} value={one}>{one}</MenuItem>)}
    </TextField>
  );
}

function Planned({ upgrade }: { upgrade: Upgrade }) {
  const [choices, setChoices] = useState<Record<string, string>>({});
  const [title, setTitle] = useState(`Upgrade from ${upgrade.old} to ${upgrade.new}`);
  const navigate = useNavigate();
  const open = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/servers/{server_id}/upgrade", {
          params: { path: { server_id: upgrade.server } },
          body: { old: upgrade.old, new: upgrade.new, title, choices, rest: "" },
        }),
      ),
    onSuccess: (change) => navigate(`/changes/${String(change.id)}`),
  });
  const undecided = upgrade.conflicts.filter((conflict) => !choices[conflict.address]).length;
  if (upgrade.files.length === 0) return <Typography sx={{ p: 2 }}>Between {upgrade.old} and {upgrade.new} nothing changes for this server.</Typography>;
  return (
    <Box sx={{ display: "grid", gap: 1.5 }}>
      {upgrade.conflicts.length > 0 && (
        <ConflictTable words={VENDOR_WORDS} conflicts={upgrade.conflicts} names={[upgrade.old, "here", upgrade.new]} choices={choices} onChoose={setChoices} />
      )}
      <Files upgrade={upgrade} />
      <KeyNotes title="Added by the vendor" notes={upgrade.files.flatMap((file) => file.added)} />
      <KeyNotes title="Dropped by the vendor" notes={upgrade.files.flatMap((file) => file.dropped)} />
      {upgrade.remaining.length > 0 && (
        <Alert severity="info" variant="outlined">Not shipped any more, and left on the server: {upgrade.remaining.join(", ")}</Alert>
      )}
      {upgrade.files.flatMap((file) => file.left.map((text) => `${file.path}: ${text}`)).map((text) => (
        <Alert key={text} severity="info" variant="outlined">{text}</Alert>
      ))}
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <TextField label="Title of the change" value={title} onChange={(event) => { setTitle(event.target.value); }} sx={{ width: 360, maxWidth: "100%" }} />
        <Button variant="contained" disabled={undecided > 0 || open.isPending} onClick={() => { open.mutate(); }}>Create change</Button>
        {undecided > 0 && <Typography variant="body2" color="text.secondary">{counted(undecided, "conflict is", "conflicts are")} still to be decided.</Typography>}
      </Box>
      <ProblemNote error={open.error} />
    </Box>
  );
}

function Files({ upgrade }: { upgrade: Upgrade }) {
  return (
    <Paper sx={{ overflowX: "auto" }}>
      <Table>
        <TableHead>
          <TableRow>
            <TableCell>File</TableCell>
            <TableCell>Result</TableCell>
            <TableCell align="right">Changed by the vendor</TableCell>
            <TableCell align="right">Changed here</TableCell>
            <TableCell align="right">Merges automatically</TableCell>
            <TableCell align="right">Conflicts</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {upgrade.files.map((file) => <FileRow key={file.path} file={file} />)}
        </TableBody>
      </Table>
    </Paper>
  );
}

/** One file; a click on its name shows what the vendor changed and what was changed here. */
function FileRow({ file }: { file: Schemas["UpgradeFileOut"] }) {
  const [isOpen, setOpen] = useState(false);
  const hasMore = file.vendor.length + file.own.length > 0;
  return (
    <>
      <TableRow hover>
        <TableCell>
          {hasMore ? (
            <Button color="inherit" sx={{ p: 0, textAlign: "left" }} aria-expanded={isOpen} onClick={() => { setOpen(!isOpen); }}>
              <Mono>{isOpen ? "▾" : "▸"} {file.path}</Mono>
            </Button>
          ) : (
            <Mono>{file.path}</Mono>
          )}
        </TableCell>
        <TableCell><KindMark kind={file.state} /></TableCell>
        <TableCell align="right">{file.vendor.length || ""}</TableCell>
        <TableCell align="right">{file.own.length || ""}</TableCell>
        <TableCell align="right">{file.state === "updated" ? file.vendor.length : file.applied.length || ""}</TableCell>
        <TableCell align="right">{file.conflicts || ""}</TableCell>
      </TableRow>
      {isOpen && (
        <TableRow>
          <TableCell colSpan={6}>
            {file.vendor.length > 0 && <Typography variant="h2" gutterBottom>Changed by the vendor</Typography>}
            {file.vendor.length > 0 && <DifferenceTable differences={file.vendor} />}
            {file.own.length > 0 && <Typography variant="h2" gutterBottom sx={{ mt: 1 }}>Changed here</Typography>}
            {file.own.length > 0 && <DifferenceTable differences={file.own} />}
          </TableCell>
        </TableRow>
      )}
    </>
  );
}
