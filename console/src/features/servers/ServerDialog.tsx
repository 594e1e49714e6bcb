import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { FormProvider, useForm } from "react-hook-form";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";
import { AcceptIdentity } from "./AcceptIdentity";
import { GamebookField } from "./GamebookField";
import { PartFields } from "./PartFields";
import { draftOf, serverOf, type Draft } from "./serverDraft";

/** The settings of a known server: how its files are reached, how its game is stopped and started, and its database. */
export function ServerDialog({ server, onClose }: { server: Schemas["ServerOut"]; onClose: () => void }) {
  const form = useForm<Draft>({ defaultValues: draftOf(server) });
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: (draft: Draft) => answer(api.PUT("/api/v1/servers/{server_id}", { params: { path: { server_id: server.id } }, body: serverOf(draft, server) })),
    onSuccess: async () => {
      await askAgain(queries);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <FormProvider {...form}>
        <form
          style={{ display: "flex", flexDirection: "column", minHeight: 0 }}
          onSubmit={(event) => { void form.handleSubmit((draft) => { save.mutate(draft); })(event); }}
        >
          <DialogTitle>Settings of {server.id}</DialogTitle>
          <DialogContent sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "1fr 1fr", pt: "8px !important" }}>
            <TextField label="Title" {...form.register("title")} autoComplete="off" />
            <GamebookField />
            <PartFields which="connection" isKnown />
            <PartFields which="control" isKnown />
            <PartFields which="database" isKnown />
            <div style={{ gridColumn: "1 / -1" }}>
              <ProblemNote error={save.error} />
              <AcceptIdentity error={save.error} onAccept={() => { save.reset(); }} />
            </div>
          </DialogContent>
          <DialogActions>
            <Button onClick={onClose}>Cancel</Button>
            <Button type="submit" variant="contained" disabled={save.isPending}>Save</Button>
          </DialogActions>
        </form>
      </FormProvider>
    </Dialog>
  );
}
