import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useState } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { EditDialog } from "./EditDialog";

type Finding = Schemas["FindingOut"];
type How = Schemas["AdjustmentIn"]["how"];

const ABOUT_A_VALUE: readonly string[] = ["meaning.unknown-name", "meaning.misspelled", "meaning.range"];

/** What can be done about the rule behind a finding, each with a preview. */
export function FindingActions({ serverId, finding, change }: { serverId: string; finding: Finding; change?: number | undefined }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [asked, setAsked] = useState<{ how: How; title: string } | null>(null);
  const options: { how: How; title: string }[] = [
    ...(ABOUT_A_VALUE.includes(finding.code) ? [{ how: "allow" as const, title: finding.code === "meaning.range" ? "Allow this value" : "Allow this word" }] : []),
    ...(finding.rule
      ? [
          ...(finding.severity === "error" ? [] : [{ how: "error" as const, title: "Make it an error" }]),
          ...(finding.severity === "warning" ? [] : [{ how: "warning" as const, title: "Make it a warning" }]),
          ...(finding.severity === "notice" ? [] : [{ how: "notice" as const, title: "Make it a notice" }]),
        ]
      : []),
    { how: "skip-file", title: finding.rule ? "Never for this file" : "The game accepts it in this file" },
  ];
  return (
    <>
      <Button color="inherit" aria-haspopup="menu" onClick={(event) => { setAnchor(event.currentTarget); }}>Rule …</Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => { setAnchor(null); }}>
        {options.map((option) => (
          <MenuItem key={option.how} onClick={() => { setAnchor(null); setAsked(option); }}>{option.title} …</MenuItem>
        ))}
      </Menu>
      {asked && <AdjustDialog serverId={serverId} finding={finding} change={change} asked={asked} onClose={() => { setAsked(null); }} />}
    </>
  );
}

function AdjustDialog({ serverId, finding, change, asked, onClose }: { serverId: string; finding: Finding; change: number | undefined; asked: { how: How; title: string }; onClose: () => void }) {
  const send = (isDry: boolean) =>
    answer(
      api.POST("/api/v1/servers/{server_id}/gamebook/adjustments", {
        params: { path: { server_id: serverId } },
        body: { code: finding.code, address: finding.address || finding.path, how: asked.how, change: change ?? null, dry_run: isDry },
      }),
    );
  return <EditDialog title={asked.title} saveWord="Save in the gamebook" send={send} onClose={onClose} />;
}
