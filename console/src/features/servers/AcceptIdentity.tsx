import Button from "@mui/material/Button";
import { useFormContext } from "react-hook-form";

import { ApiProblem } from "../../api/client";
import type { Draft } from "./serverDraft";

/** Where the host showed a certificate or key that no one accepted: the way to accept it. */
export function AcceptIdentity({ error, onAccept }: { error: Error | null; onAccept: () => void }) {
  const form = useFormContext<Draft>();
  const shown = error instanceof ApiProblem ? String(error.facts["identity"] ?? "") : "";
  if (!shown) return null;
  return (
    <Button variant="outlined" color="warning" onClick={() => { form.setValue("connection.sheet.identity", shown); onAccept(); }}>
      The host says that this is right: accept it
    </Button>
  );
}
