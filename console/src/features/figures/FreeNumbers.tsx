import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { MONO } from "../../theme";
import { FigureForm, type FigureOf } from "./FigureForm";
import { Rows } from "./Rows";

/** The next free number in each family of ids. */
export function FreeNumbers({ of }: { of: FigureOf }) {
  const [address, setAddress] = useState("");
  const [asked, setAsked] = useState<string[]>([]);
  const found = useQuery({
    queryKey: ["figures", "numbers", of, asked],
    queryFn: () =>
      answer(
        api.GET("/api/v1/servers/{server_id}/figures/free-numbers", {
          params: { path: { server_id: of.serverId }, query: { address: asked, change: of.changeId ?? null } },
        }),
      ),
    enabled: asked.length > 0,
  });
  return (
    <>
      <FigureForm onSubmit={() => { setAsked(address.split(/\s+/).filter(Boolean)); }}>
        <TextField required label="Addresses of the ids (several form one set)" value={address} onChange={(event) => { setAddress(event.target.value); }} sx={{ width: 480 }} slotProps={{ htmlInput: { style: { fontFamily: MONO, fontSize: 12 } } }} />
      </FigureForm>
      <ProblemNote error={found.error} />
      {found.isLoading && <Loading lines={4} />}
      {found.data && (
        <Rows
          heads={["Family", "Taken", "Next", "Lowest gap"]}
          rows={found.data.map((one) => [<Mono key="f">{one.family}</Mono>, String(one.taken), <Mono key="n">{one.following}</Mono>, one.gap || "none"])}
          right={[1]}
        />
      )}
    </>
  );
}
