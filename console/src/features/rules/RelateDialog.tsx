import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { Mono } from "../../shared/Mono";
import { EditDialog } from "./EditDialog";

type Relation = Schemas["RelationIn"]["relation"];

const RELATIONS: { relation: Relation; words: string }[] = [
  { relation: "equal", words: "must be equal to" },
  { relation: "at-most", words: "must be at most" },
  { relation: "refers-to", words: "must be one of the words at" },
];

/** A rule between the selected field and another one. */
export function RelateDialog({ serverId, address, other = "", onClose }: { serverId: string; address: string; other?: string; onClose: () => void }) {
  const [relation, setRelation] = useState<Relation>("at-most");
  const [second, setSecond] = useState(other || address.slice(0, address.lastIndexOf("/") + 1));
  const found = useQuery({
    queryKey: ["complete", serverId, second],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/complete", { params: { path: { server_id: serverId }, query: { typed: second } } })),
    placeholderData: (before) => before,
  });
  const send = (isDry: boolean) =>
    answer(api.POST("/api/v1/servers/{server_id}/gamebook/relations", { params: { path: { server_id: serverId } }, body: { relation, first: address, second, dry_run: isDry } }));
  return (
    <EditDialog title="Rule with another field" saveWord="Save the rule" send={send} form={`${relation} ${second}`} isReady={second !== ""} onClose={onClose}>
      <Box sx={{ display: "grid", gap: 1.5, pt: 1 }}>
        <Box><Mono>{address}</Mono></Box>
        <TextField select label="Relation" value={relation} onChange={(event) => { setRelation(event.target.value as Relation); }}>
          {RELATIONS.map((one) => <MenuItem key={one.relation} value={one.relation}>{one.words}</MenuItem>)}
        </TextField>
        <Autocomplete
          freeSolo
          filterOptions={(options) => options}
          options={found.data ?? []}
          inputValue={second}
          onInputChange={(_, value) => { setSecond(value); }}
          renderInput={(params) => <TextField {...params} label="Address of the other field" />}
        />
      </Box>
    </EditDialog>
  );
}
