import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";

/** An address that leads nowhere, and the way back. */
export function NoSuchPage() {
  return (
    <Box sx={{ p: 2 }}>
      <Typography variant="h1" gutterBottom>There is no such page.</Typography>
      <Link component={RouterLink} to="/">Back to the servers</Link>
    </Box>
  );
}
