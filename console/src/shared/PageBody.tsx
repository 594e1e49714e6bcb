import Box from "@mui/material/Box";
import { Outlet } from "react-router";

/** Pages that scroll as a whole, with room around them. */
export function PageBody() {
  return (
    <Box sx={{ flex: 1, minHeight: 0, overflow: "auto", px: { xs: 1.5, sm: 2 }, py: 1.5 }}>
      <Outlet />
    </Box>
  );
}
