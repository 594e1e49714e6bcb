import Button from "@mui/material/Button";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../../api/askAgain";
import { answer, api } from "../../api/client";
import { ProblemNote } from "../../shared/ProblemNote";

/** Upload a ZIP of the files of a server with a manual connection. */
export function UploadButton({ serverId }: { serverId: string }) {
  const queries = useQueryClient();
  const upload = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("files", file);
      return answer(
        api.POST("/api/v1/servers/{server_id}/upload", {
          params: { path: { server_id: serverId } },
          body: body as never,
          bodySerializer: (form: unknown) => form as FormData,
        }),
      );
    },
    onSuccess: () => askAgain(queries),
  });
  return (
    <>
      <Button component="label" variant="outlined" disabled={upload.isPending}>
        Upload a ZIP
        <input
          hidden
          type="file"
          accept=".zip"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            if (file) upload.mutate(file);
            event.target.value = ""; // else choosing a file of the same name again would be no change
          }}
        />
      </Button>
      <ProblemNote error={upload.error} />
    </>
  );
}
