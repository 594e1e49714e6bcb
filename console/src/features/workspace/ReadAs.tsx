import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

type Answer = Awaited<ReturnType<typeof ask>>;
type Format = Answer["format"];

const BY_ITSELF = "by-itself";

function ask(serverId: string, path: string) {
  return answer(api.GET("/api/v1/servers/{server_id}/file/format", { params: { path: { server_id: serverId }, query: { path } } }));
}

/** How the file is read, as its name, the gamebook or a guess says; a choice goes into the gamebook. */
export function ReadAs({ serverId, path }: { serverId: string; path: string }) {
  const queries = useQueryClient();
  const known = useQuery({ queryKey: ["file-format", serverId, path], queryFn: () => ask(serverId, path), retry: false });
  const choose = useMutation({
    mutationFn: (format: Format | null) => answer(api.PUT("/api/v1/servers/{server_id}/file/format", { params: { path: { server_id: serverId } }, body: { path, format, dry_run: false } })),
    onSuccess: () => askAgain(queries),
  });
  if (!known.data) return null;
  const { format, said_by: saidBy, labels } = known.data;
  const said = saidBy === "content" ? `${labels[format]} (guessed)` : labels[format];
  return (
    <>
      <ProblemNote error={choose.error} />
      <Select
        variant="standard" disableUnderline value={format} disabled={choose.isPending} sx={{ ml: "auto", mr: 1, fontSize: 13, color: saidBy === "content" ? "warning.main" : "text.secondary" }}
        inputProps={{ "aria-label": "Read as" }} renderValue={() => `read as: ${said ?? format}`}
        onChange={(event) => { const to: string = event.target.value; choose.mutate(to === BY_ITSELF ? null : (to as Format)); }}
      >
        {Object.entries(labels).map(([name, label]) => <MenuItem key={name} value={name}>{label}</MenuItem>)}
        {saidBy === "gamebook" && <MenuItem value={BY_ITSELF}>as its name or content says</MenuItem>}
      </Select>
    </>
  );
}
