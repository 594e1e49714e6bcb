import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { answer, api, type Schemas } from "../../api/client";
import { DifferenceTable } from "../../shared/DifferenceTable";
import { ProblemNote } from "../../shared/ProblemNote";
import { ConflictTable } from "../upgrade/ConflictTable";

/** Revert one old change and keep all that came since: shown first, with what has to be decided. */
export function RevertDialog({ change, onClose }: { change: Schemas["ChangeDetail"]; onClose: () => void }) {
  const words = { title: "Changed again since", mine: "current", theirs: "previous" };
  const [choices, setChoices] = useState<Record<string, string>>({});
  const navigate = useNavigate();
  const revert = (decided: Record<string, string>, create: boolean) =>
    answer(api.POST("/api/v1/changes/{change_id}/revert", { params: { path: { change_id: change.id } }, body: { choices: sidesOf(decided), rest: "", create, title: "" } }));
  const first = useQuery({ queryKey: ["revert", change.id], queryFn: () => revert({}, false) });
  const seen = useQuery({ queryKey: ["revert", change.id, choices], queryFn: () => revert(choices, false) });
  const open = useMutation({ mutationFn: () => revert(choices, true), onSuccess: (found) => navigate(`/changes/${String(found.change)}`) });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle>Revert change {change.id}?</DialogTitle>
      <DialogContent>
        <Typography gutterBottom>
          What this change did is reverted, and all that came since stays. A change is created for it; nothing happens on the
          server before that is deployed.
        </Typography>
        <ProblemNote error={seen.error ?? open.error} />
        {first.data && first.data.conflicts.length > 0 && (
          <ConflictTable conflicts={first.data.conflicts.map(({ changed_to: base, current: mine, previous: theirs, ...rest }) => ({ ...rest, base, mine, theirs }))} names={["changed to", "current", "previous"]} words={words} choices={choices} onChoose={setChoices} />
        )}
        {seen.data && <DifferenceTable differences={seen.data.differences} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={!seen.data || seen.data.conflicts.length > 0 || seen.data.differences.length === 0 || open.isPending} onClick={() => { open.mutate(); }}>
          Create a change that reverts it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** The table knows the two sides of any conflict; here they are the current value and the previous one. */
function sidesOf(choices: Record<string, string>): Record<string, string> {
  const words: Record<string, string> = { mine: "current", theirs: "previous" };
  return Object.fromEntries(Object.entries(choices).map(([address, choice]) => [address, words[choice] ?? choice]));
}
