import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { FileList } from "./FileList";
import { megabytes } from "./megabytes";

type Inventory = Schemas["InventoryOut"];

/** What an archive holds: its bundles, folders, programs and readme. */
export function BundleContents({ inventory, game }: { inventory: Inventory; game: string }) {
  const sorts = Object.entries(inventory.sorts).sort((one, other) => other[1] - one[1]);
  const tops = inventory.folders.filter((folder) => !folder.path.includes("/"));
  return (
    <Paper sx={{ p: 1.5, display: "grid", gap: 1 }} component="section" aria-label="What it holds">
      <Typography variant="h2">What it holds</Typography>
      <Typography variant="body2">
        {inventory.files.toLocaleString()} files, {megabytes(inventory.size)} unpacked: {sorts.map(([sort, count]) => `${sort === "others" ? "other files" : sort} ${count.toLocaleString()}`).join(", ")}.
      </Typography>
      {inventory.parts.map((part) => <Part key={`${part.kind} ${part.root} ${part.name}`} part={part} game={game} />)}
      {inventory.parts.length === 0 && <Alert severity="info" variant="outlined">No bundle that the gamebook knows was recognised in it. Say of which kind it is, or in which folder it goes.</Alert>}
      {inventory.manifest && inventory.parts.length === 0 && (
        <Typography variant="body2">Manifest <Mono>{inventory.manifest.path}</Mono> (guessed): {inventory.manifest.name} {inventory.manifest.version}</Typography>
      )}
      {tops.length > 0 && (
        <Box>
          <Box component="span" sx={{ fontWeight: 600 }}>Folders</Box>
          {tops.map((folder) => <Box key={folder.path}><Mono>{folder.path}/</Mono> {folder.files.toLocaleString()} files, {megabytes(folder.size)}</Box>)}
        </Box>
      )}
      <FileList title="Programs in it" paths={inventory.programs} />
      <FileList title="The host refuses" paths={inventory.refused} />
      <FileList title="Archives in it" paths={inventory.archives} />
      {inventory.parts.length > 0 && <FileList title="Belongs to no bundle" paths={inventory.rest} />}
      {inventory.readme && (
        <Box>
          <Box component="span" sx={{ fontWeight: 600 }}>{inventory.readme_path}</Box>
          <Box component="pre" tabIndex={0} sx={{ m: 0, p: 1, maxHeight: 260, overflow: "auto", whiteSpace: "pre-wrap", border: 1, borderColor: "divider", borderRadius: 1, fontSize: 12.5 }}>{inventory.readme}</Box>
        </Box>
      )}
    </Paper>
  );
}

function Part({ part, game }: { part: Schemas["BundlePartOut"]; game: string }) {
  const { manifest } = part;
  return (
    <Box sx={{ borderLeft: 3, borderColor: "divider", pl: 1.25 }}>
      <Box sx={{ fontWeight: 600 }}>{part.kind || "Files"} {part.name} {manifest.version}</Box>
      <Typography variant="body2" color="text.secondary">Recognised: {part.why}.</Typography>
      {manifest.needs.length > 0 && <Typography variant="body2">Needs {manifest.needs.join(", ")}</Typography>}
      {manifest.game && game && manifest.game !== game && <Alert severity="warning" variant="outlined" sx={{ my: 0.5 }}>It is made for version {manifest.game} of the game; the newest defaults here are {game}.</Alert>}
      {part.installed_state !== null && <Typography variant="body2">{part.installed_version || "A version that it does not say"} is on the server now ({part.installed_state}).</Typography>}
      <FileList title="Settings it brings" paths={part.settings} />
      <FileList title="Made for it from the template of the gamebook" paths={part.made} />
      <FileList title="Collides with what is on the server" paths={part.collisions} />
      <FileList title="Files of the installed version that it does not have" paths={part.left_over} />
    </Box>
  );
}
