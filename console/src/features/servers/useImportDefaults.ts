import { useMutation, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";

/** Import a ZIP as the defaults of a version of the game. */
export function useImportDefaults(serverId: string, onDone?: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ label, archive }: { label: string; archive: File }) => {
      const form = new FormData();
      form.set("label", label);
      form.set("archive", archive);
      return answer(
        api.POST("/api/v1/servers/{server_id}/defaults", {
          params: { path: { server_id: serverId } },
          body: { label, archive: "" },
          bodySerializer: () => form,
        }),
      );
    },
    // Not after everything was asked for again: the page behind says what came, and one slow answer would hold a dialog open.
    onSuccess: () => {
      onDone?.();
      void askAgain(queries);
    },
  });
}
