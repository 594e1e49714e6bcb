import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, type ReactNode } from "react";

import { askAgain } from "../../api/askAgain";
import type { Schemas } from "../../api/client";
import { Loading } from "../../shared/Loading";
import { ProblemNote } from "../../shared/ProblemNote";
import { EditResult } from "./EditResult";

interface Props {
  title: string;
  /** What the button says that saves. */
  saveWord: string;
  send: (isDry: boolean) => Promise<Schemas["GamebookEditOut"]>;
  /** What is filled in, as text: a result stands only as long as that is what was tested. */
  form?: string;
  isReady?: boolean;
  isWide?: boolean;
  onClose: () => void;
  /** The form; without one, the edit is tested at once. */
  children?: ReactNode;
}

/** An edit of the gamebook: what it changes and would find is shown before it is saved. */
export function EditDialog({ title, saveWord, send, form = "", isReady = true, isWide = false, onClose, children }: Props) {
  const queries = useQueryClient();
  // A form that holds no JSON where it should throws before anything is sent.
  const { mutate: testIt, ...test } = useMutation<Schemas["GamebookEditOut"], Error, string>({ mutationFn: async () => send(true) });
  const save = useMutation({
    mutationFn: async () => send(false),
    onSuccess: async () => {
      onClose();
      await askAgain(queries);
    },
  });
  const hasForm = children !== undefined;
  useEffect(() => {
    if (!hasForm) testIt("");
  }, [hasForm, testIt]);
  const isTested = test.variables === form;
  const isBusy = test.isPending || save.isPending;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth={isWide ? "md" : "sm"}>
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>
        {children}
        <Box role="status" sx={{ mt: hasForm ? 1.5 : 0 }}>
          {test.isPending && <Loading lines={3} />}
          <ProblemNote error={(isTested ? test.error : null) ?? save.error} />
          {isTested && test.data && <EditResult edit={test.data} />}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>Cancel</Button>
        {hasForm && <Button variant="outlined" disabled={isBusy || !isReady} onClick={() => { testIt(form); }}>Test on the files</Button>}
        <Button variant="contained" disabled={isBusy || !isReady || (!hasForm && !test.data)} onClick={() => { save.mutate(); }}>{saveWord}</Button>
      </DialogActions>
    </Dialog>
  );
}
