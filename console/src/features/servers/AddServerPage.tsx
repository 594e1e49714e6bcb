import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { FormProvider, useForm, useFormContext, useWatch } from "react-hook-form";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { KindMark } from "../../shared/KindMark";
import { ProblemNote } from "../../shared/ProblemNote";
import { Trail } from "../../shared/Trail";
import { usePageTitle } from "../../shared/usePageTitle";
import { AcceptIdentity } from "./AcceptIdentity";
import { ConnectionSeen } from "./ConnectionSeen";
import { FirstSteps } from "./FirstSteps";
import { GamebookField } from "./GamebookField";
import { GuideStep } from "./GuideStep";
import { PartFields } from "./PartFields";
import { connectionOf, controlOf, draftOf, serverOf, type Draft } from "./serverDraft";

/** From nothing to a first report: reach the files, choose the folder, test the control, and then what follows once the server is known. */
export function AddServerPage() {
  const form = useForm<Draft>({ defaultValues: draftOf() });
  const [added, setAdded] = useState<Schemas["ServerOut"] | null>(null);
  usePageTitle("Add a server");
  return (
    <Box sx={{ maxWidth: 980 }}>
      <Trail steps={[{ name: "Servers", to: "/" }]} title="Add a server" />
      <FormProvider {...form}>
        <ConnectionStep isAdded={added !== null} />
        <ControlStep isAdded={added !== null} />
        <NameStep added={added} onAdded={setAdded} />
      </FormProvider>
      {added && <FirstSteps server={added} />}
    </Box>
  );
}

const FIELDS = { display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" } } as const;

function ConnectionStep({ isAdded }: { isAdded: boolean }) {
  const form = useFormContext<Draft>();
  const [tryWrite, setTryWrite] = useState(false);
  const kind = useWatch({ control: form.control, name: "connection.kind" });
  const folder = useWatch({ control: form.control, name: "connection.sheet.folder" });
  const test = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/connection-test", { body: { ...connectionOf(form.getValues()), try_write: tryWrite } })),
    onSuccess: (seen) => {
      // What an SFTP host shows first is what it has to show from now on.
      if (seen.identity) form.setValue("connection.sheet.identity", seen.identity);
    },
  });
  const isManual = kind === "manual";
  return (
    <GuideStep number={1} title="Reach the files">
      <Box component="fieldset" disabled={isAdded} sx={{ ...FIELDS, border: 0, p: 0, m: 0, minWidth: 0 }}>
        <PartFields which="connection" isKnown={false} />
      </Box>
      {isManual ? (
        <Typography variant="body2" sx={{ mt: 1 }}>You carry the files: Zerrit shows what to upload where. There is nothing to test; show it the files once the server is added.</Typography>
      ) : (
        <>
          <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", my: 1, flexWrap: "wrap" }}>
            <Button variant="outlined" disabled={isAdded || test.isPending} onClick={() => { test.mutate(); }}>{test.isPending ? "Looking …" : "Test the connection"}</Button>
            <FormControlLabel control={<Checkbox size="small" checked={tryWrite} disabled={isAdded} onChange={(event) => { setTryWrite(event.target.checked); }} />} label="Also write a small file, and remove it again" />
          </Box>
          <Box role="status">
            <ProblemNote error={test.error} />
            <AcceptIdentity error={test.error} onAccept={() => { test.reset(); }} />
            {test.data && !test.isPending && !isAdded && (
              <ConnectionSeen seen={test.data} folder={String(folder ?? "")} onFolder={(to) => { form.setValue("connection.sheet.folder", to); test.mutate(); }} />
            )}
          </Box>
        </>
      )}
    </GuideStep>
  );
}

function ControlStep({ isAdded }: { isAdded: boolean }) {
  const form = useFormContext<Draft>();
  const kind = useWatch({ control: form.control, name: "control.kind" });
  const test = useMutation({ mutationFn: () => answer(api.POST("/api/v1/control-test", { body: controlOf(form.getValues()) })) });
  return (
    <GuideStep number={2} title="Stop and start the game">
      <Box component="fieldset" disabled={isAdded} sx={{ ...FIELDS, border: 0, p: 0, m: 0, minWidth: 0 }}>
        <PartFields which="control" isKnown={false} />
      </Box>
      {kind === "manual" ? (
        <Typography variant="body2" sx={{ mt: 1 }}>You stop and start the game yourself when a deploy asks for it, and say when it is done.</Typography>
      ) : (
        <>
          <Button variant="outlined" sx={{ my: 1 }} disabled={isAdded || test.isPending} onClick={() => { test.mutate(); }}>{test.isPending ? "Asking …" : "Test the control"}</Button>
          <Box role="status">
            <ProblemNote error={test.error} />
            {test.data && !test.isPending && (
              <Typography><KindMark kind="done" /> It answers: {test.data.state}, after {Math.max(1, Math.round(test.data.milliseconds)).toLocaleString()} ms. Nothing was stopped or started.</Typography>
            )}
          </Box>
        </>
      )}
    </GuideStep>
  );
}

function NameStep({ added, onAdded }: { added: Schemas["ServerOut"] | null; onAdded: (server: Schemas["ServerOut"]) => void }) {
  const form = useFormContext<Draft>();
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: (draft: Draft) => answer(api.POST("/api/v1/servers", { body: serverOf(draft) })),
    onSuccess: (server) => {
      onAdded(server);
      void askAgain(queries);
    },
  });
  return (
    <GuideStep number={3} title="Name it">
      <Box component="form" onSubmit={(event) => { void form.handleSubmit((draft) => { add.mutate(draft); })(event); }}>
        <Box component="fieldset" disabled={added !== null} sx={{ ...FIELDS, border: 0, p: 0, m: 0, minWidth: 0 }}>
          <TextField label="Server id" helperText="Small letters, digits and hyphens, such as my-server" {...form.register("id")} autoComplete="off" />
          <TextField label="Title" helperText="As people read it" {...form.register("title")} autoComplete="off" />
          <GamebookField />
          <PartFields which="database" isKnown={false} />
        </Box>
        <ProblemNote error={add.error} />
        <AcceptIdentity error={add.error} onAccept={() => { add.reset(); }} />
        <Box sx={{ mt: 1 }} role="status">
          {added ? <Typography><KindMark kind="done" /> Added. Its connection and its control answered.</Typography> : <Button type="submit" variant="contained" disabled={add.isPending}>{add.isPending ? "Adding …" : "Add server"}</Button>}
        </Box>
      </Box>
    </GuideStep>
  );
}
