import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, ApiProblem, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { UploadButton } from "./UploadButton";

/** What a run waits for a person to do, with the buttons to say that it is done. */
export function ManualRequest({ run }: { run: Schemas["RunOut"] }) {
  const [contradicted, setContradicted] = useState(false);
  const queries = useQueryClient();
  const isStart = run.stage.startsWith("start") || run.stage === "release";
  const isCarrying = run.stage === "write" || run.stage === "restore";
  const isSaid = isStart || run.stage.startsWith("stop");
  const server = useQuery({
    queryKey: ["servers", run.server],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}", { params: { path: { server_id: run.server } } })),
  });
  const say = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/servers/{server_id}/report", {
          params: { path: { server_id: run.server } },
          body: { is_running: isStart, is_sure: contradicted },
        }),
      ),
    onSuccess: () => askAgain(queries),
    onError: (error) => { setContradicted(error instanceof ApiProblem && error.kind === "wrong-state"); },
  });
  return (
    <Alert
      severity="info"
      variant="outlined"
      sx={{ my: 1 }}
      action={
        <>
          {isCarrying && <Button color="inherit" href={`/api/v1/runs/${String(run.id)}/instructions`}>Download instructions</Button>}
          {server.data?.connection.kind === "manual" && <UploadButton serverId={run.server} />}
          {isSaid && (
            <Button color="inherit" disabled={say.isPending} onClick={() => { say.mutate(); }}>
              {contradicted ? "I am sure" : isStart ? "It is started" : "Report as stopped"}
            </Button>
          )}
        </>
      }
    >
      {run.asks}
      <ProblemNote error={say.error} />
    </Alert>
  );
}
