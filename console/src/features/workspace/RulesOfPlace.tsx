import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { RelateDialog } from "../rules/RelateDialog";
import { RuleDialog } from "../rules/RuleDialog";

type Rule = Pick<Schemas["RuleOfPlaceOut"], "part" | "location" | "data">;

/** The rules that a place takes part in, and the way to make more. */
export function RulesOfPlace({ serverId, about }: { serverId: string; about: Schemas["AboutOut"] }) {
  const [edited, setEdited] = useState<Rule | null>(null);
  const [isRelating, setRelating] = useState(false);
  const { address, value } = about.shown;
  const find = useMutation({
    mutationFn: () => answer(api.GET("/api/v1/servers/{server_id}/gamebook/rule", { params: { path: { server_id: serverId }, query: { address } } })),
    onSuccess: (place) => { setEdited({ part: "field", ...place }); },
  });
  if (about.rules.length === 0 && value === null) return null;
  const hasOwn = about.rules.some((rule) => rule.part === "field");
  return (
    <Box sx={{ mb: 1.25 }}>
      <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>Rules</Box>
      {about.rules.map((rule) => (
        <Box key={rule.id} sx={{ mb: 0.5 }}>
          <Link component="button" color="inherit" title="Edit this rule" sx={{ textAlign: "left", font: "inherit", overflowWrap: "anywhere" }} onClick={() => { setEdited(rule); }}>{rule.text}</Link>
          {rule.reason && <Box sx={{ color: "text.secondary", fontSize: 11.5 }}>reason: {rule.reason}</Box>}
        </Box>
      ))}
      {value !== null && (
        <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap" }}>
          {!hasOwn && <Button size="small" disabled={find.isPending} onClick={() => { find.mutate(); }}>Rule for this field …</Button>}
          <Button size="small" onClick={() => { setRelating(true); }}>Rule with another field …</Button>
        </Box>
      )}
      <ProblemNote error={find.error} />
      {edited && <RuleDialog serverId={serverId} title={edited.part === "field" ? "Rule for this field" : "Edit the rule"} rule={edited} onClose={() => { setEdited(null); }} />}
      {isRelating && <RelateDialog serverId={serverId} address={address} onClose={() => { setRelating(false); }} />}
    </Box>
  );
}
