import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useParams, useSearchParams } from "react-router";

import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { EDITABLE } from "../changes/states";
import { EntriesGrid } from "./EntriesGrid";
import { TextView } from "./TextView";

/** In the choice of changes: none of those that are open. */
const NEW = "new";

/** One file: its entries as a grid, and its text. With a change chosen, both show what that change makes of it. */
export function FilePage() {
  const { serverId = "", "*": path = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const queries = useQueryClient();
  const view = search.get("view") ?? "entries";
  const change = search.get("change") ?? "";
  const line = Number(search.get("line") ?? 0);
  const changes = useQuery({
    queryKey: ["changes", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/changes", { params: { path: { server_id: serverId } } })),
  });
  const open = changes.data?.filter((one) => EDITABLE.includes(one.state)) ?? [];
  const turn = (name: string, value: string) => {
    setSearch((before) => {
      const after = new URLSearchParams(before);
      if (value) after.set(name, value);
      else after.delete(name);
      return after;
    });
  };
  const openNew = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/servers/{server_id}/changes", { params: { path: { server_id: serverId } }, body: { title: `Edit ${path}` } }),
      ),
    onSuccess: async (opened) => {
      await queries.invalidateQueries({ queryKey: ["changes"] });
      turn("change", String(opened.id));
    },
  });
  const changeId = change ? Number(change) : undefined;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "flex-start", columnGap: 2, rowGap: 1, flexWrap: "wrap" }}>
        <Box sx={{ flex: 1, minWidth: 260 }}>
          <Trail steps={[{ name: "Servers", to: "/" }, { name: serverId, to: `/servers/${serverId}` }]} title={path} />
        </Box>
        <TextField
          select
          label="Edit in"
          value={open.some((one) => String(one.id) === change) ? change : ""}
          onChange={(event) => {
            if (event.target.value === NEW) openNew.mutate();
            else turn("change", event.target.value);
          }}
          sx={{ width: 340 }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">Read only (as on the server)</MenuItem>
          {open.map((one) => (
            <MenuItem key={one.id} value={String(one.id)}>
              Change {one.id}: {one.title}
            </MenuItem>
          ))}
          <MenuItem value={NEW}>A new change …</MenuItem>
        </TextField>
      </Box>
      <ProblemNote error={changes.error ?? openNew.error} />
      <Tabs value={view} onChange={(_, value: string) => { turn("view", value); }} sx={{ borderBottom: 1, borderColor: "divider", mb: 1 }}>
        <Tab value="entries" label="Entries" />
        <Tab value="text" label="Text" />
      </Tabs>
      {view === "entries" ? (
        <EntriesGrid serverId={serverId} path={path} changeId={changeId} />
      ) : (
        <TextView serverId={serverId} path={path} changeId={changeId} line={line} />
      )}
    </>
  );
}
