import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ProblemNote } from "../../shared/ProblemNote";
import { when } from "../../shared/when";

type Item = Schemas["AttentionOut"];

/** How each kind is marked, and what its button says. */
const KINDS: Record<Item["kind"], { mark: string; action: string; to: ((item: Item) => string) | null }> = {
  "run-failed": { mark: "failed", action: "See the run", to: runOf },
  "run-waits": { mark: "to do", action: "Open the run", to: runOf },
  identity: { mark: "wrong", action: "Open the server", to: ({ server }) => `/servers/${server}/files` },
  drift: { mark: "odd", action: "See what changed", to: ({ server }) => `/servers/${server}/maintenance` },
  findings: { mark: "error", action: "See the findings", to: ({ server }) => `/servers/${server}/findings` },
  checklist: { mark: "to do", action: "Open the checklist", to: ({ change }) => `/changes/${String(change)}` },
  "checklist-wrong": { mark: "wrong", action: "Open the checklist", to: ({ change }) => `/changes/${String(change)}` },
  schedule: { mark: "interrupted", action: "See the schedule", to: ({ server }) => `/servers/${server}/maintenance` },
  "never-fetched": { mark: "unread", action: "Open the server", to: ({ server }) => `/servers/${server}/files` },
  disk: { mark: "warning", action: "", to: null },
};

/** What needs a person, over all servers, each with where it is dealt with. */
export function NeedsAttention() {
  const found = useQuery({ queryKey: ["overview"], queryFn: () => answer(api.GET("/api/v1/overview")), refetchInterval: 30_000 });
  if (found.error) return <ProblemNote error={found.error} />;
  if (!found.data) return null;
  const { items, last_run_ended: ended } = found.data;
  return (
    <Paper component="section" aria-label="Needs attention" sx={{ mb: 1.5 }}>
      <Typography variant="h2" sx={{ px: 1.5, pt: 1.25, pb: items.length > 0 ? 0.5 : 0 }}>Needs attention</Typography>
      {items.length === 0 && (
        <Typography sx={{ px: 1.5, pb: 1.25 }}><KindMark kind="done" isShort /> Nothing needs attention.{ended && ` The last run ended ${when(ended)}.`}</Typography>
      )}
      {items.map((item) => {
        const { mark, action, to } = KINDS[item.kind];
        return (
          <Box key={`${item.kind} ${item.server} ${String(item.change)} ${String(item.run)} ${item.message}`} sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap", px: 1.5, py: 0.75, borderTop: 1, borderColor: "divider" }}>
            <Box sx={{ width: 14, textAlign: "center" }}><KindMark kind={mark} isShort /></Box>
            <Box sx={{ fontWeight: 600, width: 130 }}>{item.server || "this service"}</Box>
            <Box sx={{ flex: { xs: "1 0 100%", sm: 1 }, minWidth: 220, overflowWrap: "anywhere" }}>
              {item.message}
              {item.since && <Box component="span" sx={{ color: "text.secondary", fontSize: 12 }}> since {when(item.since)}</Box>}
            </Box>
            {to && <Button component={RouterLink} to={to(item)} variant="outlined">{action}</Button>}
          </Box>
        );
      })}
    </Paper>
  );
}

function runOf({ server, change }: Item): string {
  return change === null ? `/servers/${server}/timeline` : `/changes/${String(change)}`;
}
