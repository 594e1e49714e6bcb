import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link as RouterLink } from "react-router";

import type { Schemas } from "../../api/client";
import { effectWord } from "../../shared/effects";
import { KindMark } from "../../shared/KindMark";
import type { ChosenChange } from "./useChosenChange";
import type { Edits } from "./useEdits";

const DeployDialog = lazy(async () => ({ default: (await import("../runs/DeployDialog")).DeployDialog }));

const NEW = "new";

/** The change that edits go into: what is in it, what blocks it, when it takes effect, and the way to the server. */
export function ChangeTray({ change, edits }: { change: ChosenChange; edits: Edits }) {
  const [isDeploying, setDeploying] = useState(false);
  const detail = change.id === undefined ? undefined : edits.detail;
  const openNew = useMutation({ mutationFn: () => change.create("Edits in the workspace") });
  const error = edits.error ?? openNew.error ?? change.error;
  return (
    <Box component="section" aria-label="Change" sx={{ borderTop: 1, borderColor: "divider", bgcolor: "background.paper", flexShrink: 0 }}>
      {error && <Alert severity="error" variant="outlined" sx={{ border: 0, borderRadius: 0, py: 0 }}>{error.message}</Alert>}
      <Box sx={{ display: "flex", alignItems: "center", columnGap: 1.5, rowGap: 0.75, flexWrap: "wrap", px: 1.5, py: 0.75 }}>
        <TextField
          select
          label="Edit in"
          value={change.id === undefined ? "" : String(change.id)}
          onChange={(event) => {
            if (event.target.value === NEW) openNew.mutate();
            else change.choose(event.target.value ? Number(event.target.value) : undefined);
          }}
          sx={{ width: 300, maxWidth: "100%", "& .MuiSelect-select": { py: 0.5 } }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">A new change, with the first edit</MenuItem>
          {change.open.map((one) => (
            <MenuItem key={one.id} value={String(one.id)}>Change {one.id}: {one.title}</MenuItem>
          ))}
          <MenuItem value={NEW}>A new change …</MenuItem>
        </TextField>
        <Box sx={{ flex: 1, minWidth: 180 }} role="status"><Summary detail={detail} /></Box>
        <Button color="inherit" disabled={!edits.canUndo || edits.isBusy} title="Ctrl+Z" onClick={edits.undo}>Undo</Button>
        <Button color="inherit" disabled={!edits.canRedo || edits.isBusy} title="Ctrl+Shift+Z" onClick={edits.redo}>Redo</Button>
        {detail && <Button component={RouterLink} to={`/changes/${String(detail.id)}`} variant="outlined">Review</Button>}
        {detail && <Button variant="contained" disabled={detail.steps === 0 || detail.blocking.length > 0} onClick={() => { setDeploying(true); }}>Deploy …</Button>}
      </Box>
      {isDeploying && detail && <Suspense><DeployDialog change={detail} onClose={() => { setDeploying(false); }} /></Suspense>}
    </Box>
  );
}

function Summary({ detail }: { detail: Schemas["ChangeDetail"] | undefined }) {
  if (!detail) return <Box component="span" sx={{ color: "text.secondary" }}>You see the files as they are on the server.</Box>;
  const waits = detail.effects.map((effect) => effectWord(effect.takes_effect)).join(", ");
  const [first] = detail.findings.filter((finding) => finding.blocks);
  return (
    <>
      <strong>{detail.steps === 1 ? "1 step" : `${String(detail.steps)} steps`}</strong>
      {" · "}
      {detail.blocking.length === 0 ? <><KindMark kind="within" isShort /> nothing blocks</> : (
        <Link component={RouterLink} to={`/changes/${String(detail.id)}`} color="error" title={first?.message}><KindMark kind="error" isShort /> {detail.blocking.length} to fix</Link>
      )}
      {waits && <Box component="span" sx={{ color: "text.secondary" }}> · takes effect {waits}</Box>}
      {detail.is_outdated && <Box component="span" sx={{ color: "warning.main" }}> · the server's files are newer</Box>}
    </>
  );
}
