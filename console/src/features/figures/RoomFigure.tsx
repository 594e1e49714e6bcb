import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, EMPTY_STEP, type Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ManyRows } from "../../shared/ManyRows";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { FigureForm, type FigureOf } from "./FigureForm";

type Way = "share" | "order" | "age";
interface Asked { address: string; limit: string; by: Way; first: string[] }

const WAYS: Record<Way, string> = { share: "each in proportion", order: "in the order of the files", age: "unchanged longest first" };
const LONG = { htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } };

/** What to lower so that a sum stays within its limit; edited before it is taken. */
export function RoomFigure({ of }: { of: FigureOf }) {
  const [address, setAddress] = useState("");
  const [limit, setLimit] = useState("");
  const [by, setBy] = useState<Way>("share");
  const [first, setFirst] = useState("");
  const [asked, setAsked] = useState<Asked | null>(null);
  const found = useQuery({
    queryKey: ["figures", "room", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/room", {
          params: {
            path: { server_id: of.serverId },
            query: { address: asked?.address ?? "", limit: asked?.limit ? asked.limit : null, by: asked?.by ?? "share", first: asked?.first ?? [], change: of.changeId ?? null },
          },
        }),
      ),
    enabled: asked !== null,
    retry: false,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked({ address: address.trim(), limit: limit.trim(), by, first: first.split(/\s+/).filter(Boolean) }); }}>
        <TextField required label="Address of the numbers" value={address} onChange={(event) => { setAddress(event.target.value); }} sx={{ width: 340 }} slotProps={LONG} />
        <TextField label="Largest sum" placeholder="as the gamebook says" value={limit} onChange={(event) => { setLimit(event.target.value); }} sx={{ width: 150 }} />
        <TextField select label="Lower" value={by} onChange={(event) => { setBy(event.target.value as Way); }} sx={{ width: 200 }}>
          {Object.entries(WAYS).map(([way, words]) => <MenuItem key={way} value={way}>{words}</MenuItem>)}
        </TextField>
        <TextField label="Needed least (addresses)" value={first} onChange={(event) => { setFirst(event.target.value); }} sx={{ width: 300 }} slotProps={LONG} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && <Proposal key={JSON.stringify(asked)} of={of} room={found.data} />}
    </>
  );
}

function Proposal({ of, room }: { of: FigureOf; room: Schemas["RoomOut"] }) {
  const [edited, setEdited] = useState<Record<string, string>>({});
  const queries = useQueryClient();
  const navigate = useNavigate();
  const valueOf = (one: Schemas["LoweredOut"]) => edited[one.address] ?? one.new;
  const given = room.lowered.reduce((sum, one) => sum + Number(one.old) - Number(valueOf(one)), 0);
  const after = Number((Number(room.total) - given).toPrecision(12));
  const take = useMutation({
    mutationFn: async () => {
      const path = { server_id: of.serverId };
      const change = of.changeId ?? (await answer(api.POST("/api/v1/servers/{server_id}/changes", { params: { path }, body: { title: "Make room" } }))).id;
      const steps = room.lowered.filter((one) => valueOf(one) !== one.old).map((one) => ({ ...EMPTY_STEP, kind: "set" as const, address: one.address, operation: `=${valueOf(one)}` }));
      await answer(api.POST("/api/v1/changes/{change_id}/step-list", { params: { path: { change_id: change } }, body: { steps } }));
      return change;
    },
    onSuccess: async (change) => { await askAgain(queries); await navigate(`/changes/${String(change)}`); },
  });
  return (
    <Box sx={{ display: "grid", gap: 1 }}>
      <Typography variant="body2">{room.words}{room.spared > 0 && ` ${String(room.spared)} numbers that the change itself sets stay as they are.`}</Typography>
      {room.lowered.length > 0 && (
        <>
          <Paper sx={{ overflowX: "auto" }}><Box component="table" sx={{ width: "100%", borderCollapse: "collapse", "& td, & th": { textAlign: "left", px: 1, py: 0.25, borderBottom: 1, borderColor: "divider" } }}>
            <thead><tr><th>Address</th><th>Now</th><th>New</th><th>Why</th></tr></thead>
            <tbody>
              <ManyRows rows={room.lowered} word="numbers">
                {(one) => (
                  <tr key={one.address}>
                    <td><Mono>{one.address}</Mono></td>
                    <td>{one.old}</td>
                    <td><TextField size="small" value={valueOf(one)} onChange={(event) => { setEdited({ ...edited, [one.address]: event.target.value }); }} sx={{ width: 100 }} slotProps={{ htmlInput: { "aria-label": `New value of ${one.address}` } }} /></td>
                    <td>{one.reason}</td>
                  </tr>
                )}
              </ManyRows>
            </tbody>
          </Box></Paper>
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <Button variant="contained" disabled={take.isPending} onClick={() => { take.mutate(); }}>{of.changeId === undefined ? "Create change" : "Add to this change"}</Button>
            <Typography variant="body2" color={after > Number(room.limit) ? "error" : "text.secondary"}>The sum is {after.toLocaleString(undefined, { maximumFractionDigits: 6 })} then; the limit is {room.limit}.</Typography>
          </Box>
        </>
      )}
      <ProblemNote error={take.error} />
    </Box>
  );
}
