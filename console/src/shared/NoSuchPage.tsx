import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";

/** An address that leads nowhere, and the way back. */
export function NoSuchPage() {
  return (
    <Typography sx={{ p: 2 }}>
      There is no such page. <Link component={RouterLink} to="/">Back to the servers</Link>
    </Typography>
  );
}
