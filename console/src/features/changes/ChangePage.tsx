import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { Loading } from "../../shared/Loading";
import { Mono } from "../../shared/Mono";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { useMe } from "../../shared/useMe";
import { usePageTitle } from "../../shared/usePageTitle";
import { FiguresPanel } from "../figures/FiguresPanel";
import { ShelfDialog } from "../shelf/ShelfDialog";
import { RolloutDialog } from "../rollouts/RolloutDialog";
import { DeployDialog } from "../runs/DeployDialog";
import { RunProgress } from "../runs/RunProgress";
import { AddStepDialog } from "./AddStepDialog";
import { Comments } from "./Comments";
import { DifferencePanel } from "./DifferencePanel";
import { EffectNote } from "./EffectNote";
import { FormDialog } from "./FormDialog";
import { FindingList } from "./FindingList";
import { Checklist } from "./Checklist";
import { PlayerNotes } from "./PlayerNotes";
import { ReplayDialog } from "./ReplayDialog";
import { EDITABLE } from "./states";
import { StepList } from "./StepList";
import { RevertDialog } from "./RevertDialog";

type Change = Schemas["ChangeDetail"];

/** One change: its steps, what is found in it, what it makes different, and its deploy. */
export function ChangePage() {
  const changeId = Number(useParams()["changeId"]);
  const params = { path: { change_id: changeId } };
  const change = useQuery({
    queryKey: ["change", changeId],
    queryFn: () => answer(api.GET("/api/v1/changes/{change_id}", { params })),
  });
  if (change.error) return <ProblemNote error={change.error} />;
  if (!change.data) return <Loading />;
  return <OpenedChange change={change.data} />;
}

function OpenedChange({ change }: { change: Change }) {
  const [asked, setAsked] = useState<"step" | "form" | "shelf" | "deploy" | "replay" | "revert" | "rollout" | null>(null);
  const close = () => { setAsked(null); };
  const [view, setView] = useState("steps");
  usePageTitle(`Change ${String(change.id)}: ${change.title}`);
  const queries = useQueryClient();
  const params = { path: { change_id: change.id } };
  const onSuccess = () => askAgain(queries);
  const check = useMutation({ mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/check", { params })), onSuccess });
  const refresh = useMutation({ mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/update", { params })), onSuccess });
  const withdraw = useMutation({ mutationFn: () => answer(api.POST("/api/v1/changes/{change_id}/withdraw", { params })), onSuccess });
  const unqueue = useMutation({ mutationFn: () => answer(api.DELETE("/api/v1/changes/{change_id}/queue", { params })), onSuccess });
  const me = useMe();
  const isHelper = me.data?.role === "helper";
  const isEditable = EDITABLE.includes(change.state) && (!isHelper || change.author === me.data?.name);
  const [run] = change.runs;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, flexWrap: "wrap", mb: 1 }}>
        <Box sx={{ flex: 1, minWidth: 280 }}>
          <Trail
            steps={[{ name: "Servers", to: "/" }, { name: change.server, to: `/servers/${change.server}/changes` }]}
            title={`Change ${String(change.id)}: ${change.title}`}
          />
        </Box>
        <Box sx={{ mr: 1 }}><KindMark kind={change.state} /></Box>
        {change.steps > 0 && <Button color="inherit" onClick={() => { setAsked("replay"); }}>Replay elsewhere …</Button>}
        {!isHelper && change.steps > 0 && change.state !== "withdrawn" && <Button color="inherit" onClick={() => { setAsked("rollout"); }}>Roll out …</Button>}
        {(change.state === "deployed" || change.state === "confirmed") && <Button color="inherit" onClick={() => { setAsked("revert"); }}>Revert …</Button>}
        {change.state === "queued" && <Button variant="outlined" disabled={unqueue.isPending} onClick={() => { unqueue.mutate(); }}>Remove from the queue</Button>}
        {isEditable && (
          <>
            <Button color="inherit" disabled={withdraw.isPending} onClick={() => { withdraw.mutate(); }}>Withdraw</Button>
            <Button variant="outlined" onClick={() => { setAsked("form"); }}>Fill in a form</Button>
            <Button variant="outlined" onClick={() => { setAsked("step"); }}>Add a step</Button>
            <Button variant="outlined" disabled={check.isPending} onClick={() => { check.mutate(); }}>Check</Button>
            <Button
              variant="contained"
              disabled={change.steps === 0 || change.blocking.length > 0 || (isHelper && change.beyond_rights.length > 0)}
              onClick={() => { setAsked("deploy"); }}
            >
              Deploy …
            </Button>
          </>
        )}
      </Box>
      <ProblemNote error={check.error ?? refresh.error ?? withdraw.error ?? unqueue.error} />
      {change.is_outdated && isEditable && (
        <Alert
          severity="warning"
          variant="outlined"
          sx={{ mb: 1 }}
          action={<Button color="inherit" onClick={() => { refresh.mutate(); }}>Re-base onto the latest files</Button>}
        >
          The files of {change.server} are newer than those that this change was built on (snapshot {change.base}).
        </Alert>
      )}
      {change.beyond_rights.length > 0 && EDITABLE.includes(change.state) && (
        <Alert severity="info" variant="outlined" sx={{ mb: 1 }}>
          It goes beyond what {change.author} may change, so an admin has to deploy it: <Mono>{change.beyond_rights.slice(0, 5).join(", ")}</Mono>
          {change.beyond_rights.length > 5 && ` and ${String(change.beyond_rights.length - 5)} more`}
        </Alert>
      )}
      {run && <RunProgress runId={run.id} />}
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "minmax(0, 1fr)", lg: "minmax(0, 1fr) 340px" }, gap: 1.5, alignItems: "start" }}>
        <Box>
          <Paper sx={{ p: 1.5, mb: 1.5 }}>
            <Typography variant="h2" gutterBottom>Findings</Typography>
            <FindingList change={change} />
          </Paper>
          <Tabs value={view} onChange={(_, value: string) => { setView(value); }} sx={{ borderBottom: 1, borderColor: "divider", mb: 1.5 }}>
            <Tab value="steps" label={`Steps (${String(change.steps)})`} />
            <Tab value="difference" label="Difference" />
            <Tab value="figures" label="Figures" />
            <Tab value="players" label="Notes for players" />
          </Tabs>
          {view === "steps" && isEditable && (
            <Button size="small" sx={{ mb: 0.5 }} onClick={() => { setAsked("shelf"); }}>Put from the shelf …</Button>
          )}
          {view === "steps" && <StepList change={change} isEditable={isEditable} />}
          {view === "difference" && <DifferencePanel change={change} />}
          {view === "players" && <PlayerNotes change={change} />}
          {view === "figures" && <FiguresPanel of={{ serverId: change.server, changeId: change.id }} />}
        </Box>
        <Box>
          <Checklist change={change} />
          {isEditable && <EffectNote change={change} />}
          <Comments change={change} />
        </Box>
      </Box>
      {asked === "form" && <FormDialog change={change} onClose={close} />}
      {asked === "shelf" && <ShelfDialog change={change} onClose={close} />}
      {asked === "step" && <AddStepDialog change={change} onClose={close} />}
      {asked === "revert" && <RevertDialog change={change} onClose={close} />}
      {asked === "rollout" && <RolloutDialog change={change} onClose={close} />}
      {asked === "replay" && <ReplayDialog change={change} onClose={close} />}
      {asked === "deploy" && <DeployDialog change={change} onClose={close} />}
    </>
  );
}
