import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Typography from "@mui/material/Typography";

import type { Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Mono } from "../../shared/Mono";

type Seen = Schemas["ConnectionTestOut"];

const MOST_HERE = 200;
const MOST_NAMED = 8;

/** What a connection leads to: how quick it is, what is in the folder, and what the files look like. */
export function ConnectionSeen({ seen, folder, onFolder }: { seen: Seen; folder: string; onFolder: (folder: string) => void }) {
  const below = (name: string) => `${folder.replace(/\/+$/, "")}/${name}`;
  const above = folder.replace(/\/+$/, "").replace(/\/?[^/]+$/, "") || (folder.startsWith("/") ? "/" : ".");
  const roots = seen.roots.filter((root) => root !== "");
  return (
    <Box>
      <Typography sx={{ mb: 0.5 }}>
        <KindMark kind="done" /> Reached. {seen.files.toLocaleString()} files in {seen.folders.toLocaleString()} folders{seen.is_complete ? "" : ", and more that was not looked at"}.{" "}
        The list of the folder took {Math.max(1, Math.round(seen.listing_ms)).toLocaleString()} ms{seen.read_speed === null ? "" : `, files come at ${speed(seen.read_speed)}`}.
      </Typography>
      {seen.can_write === true && <Typography sx={{ mb: 0.5 }}><KindMark kind="done" /> A small file was written, read back and removed.</Typography>}
      {seen.can_write === false && <Typography sx={{ mb: 0.5 }}><KindMark kind="failed" /> Writing failed: {seen.write_problem}</Typography>}
      {seen.notes.map((note) => <Typography key={note} sx={{ mb: 0.5 }}><KindMark kind="notice" /> {note}</Typography>)}
      {roots.length > 0 && (
        <Box sx={{ display: "flex", gap: 1, alignItems: "center", flexWrap: "wrap", mb: 1 }}>
          <Typography>The game's own folder may be</Typography>
          {roots.map((root) => <Chip key={root} label={root} variant="outlined" onClick={() => { onFolder(below(root)); }} />)}
        </Box>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "1fr 1.4fr" }, gap: 2 }}>
        <Box>
          <Typography sx={{ fontWeight: 600 }}>In <Mono>{folder}</Mono></Typography>
          <Box component="ul" aria-label="What is in the folder" sx={{ m: 0, p: 0, listStyle: "none", maxHeight: 220, overflow: "auto", border: 1, borderColor: "divider", borderRadius: 1 }} tabIndex={0}>
            {above !== folder && <li><Button size="small" color="inherit" onClick={() => { onFolder(above); }}>↑ one folder up</Button></li>}
            {seen.here.slice(0, MOST_HERE).map((one) => (
              <Box component="li" key={one.name} sx={{ px: 1, fontSize: 12.5 }}>
                {one.is_folder ? (
                  <Button size="small" color="inherit" sx={{ px: 0, minWidth: 0, textTransform: "none" }} onClick={() => { onFolder(below(one.name)); }}>▸ {one.name}</Button>
                ) : (
                  <>{one.name} <Box component="span" sx={{ color: "text.secondary" }}>{one.size.toLocaleString()} bytes</Box></>
                )}
              </Box>
            ))}
            {seen.here.length > MOST_HERE && <Box component="li" sx={{ px: 1, color: "text.secondary" }}>and {(seen.here.length - MOST_HERE).toLocaleString()} more</Box>}
          </Box>
        </Box>
        <Box>
          <Named title="Settings" paths={seen.settings} count={seen.counts["settings"]} />
          <Named title="Scripts that may start it" paths={seen.scripts} count={seen.counts["script"]} />
          <Named title="Logs" paths={[...seen.log_folders.map((one) => `${one}/`), ...seen.logs]} count={seen.counts["log"]} />
          <Named title="Crash files; a failed start keeps them as evidence" paths={[...seen.crash_folders.map((one) => `${one}/`), ...seen.crashes]} count={seen.counts["crash"]} />
          <Named title="Databases" paths={seen.databases} count={seen.counts["database"]} />
        </Box>
      </Box>
    </Box>
  );
}

function speed(bytes: number): string {
  const megabytes = bytes / 1_000_000;
  return megabytes >= 1 ? `${megabytes.toLocaleString(undefined, { maximumFractionDigits: 1 })} MB a second` : `${Math.round(bytes / 1000).toLocaleString()} kB a second`;
}

function Named({ title, paths, count = 0 }: { title: string; paths: string[]; count: number | undefined }) {
  if (paths.length === 0) return null;
  return (
    <Box sx={{ mb: 0.75 }}>
      <Box sx={{ color: "text.secondary", fontSize: 12 }}>{title}{count > 0 ? ` (${count.toLocaleString()})` : ""}</Box>
      <Mono>{paths.slice(0, MOST_NAMED).join(" · ")}</Mono>
    </Box>
  );
}
