import Alert from "@mui/material/Alert";

/** What went wrong, in the service's own words. */
export function ProblemNote({ error }: { error: Error | null }) {
  if (!error) return null;
  return (
    <Alert severity="error" variant="outlined" sx={{ my: 1, whiteSpace: "pre-wrap" }}>
      {error.message}
    </Alert>
  );
}
