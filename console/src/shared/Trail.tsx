import Breadcrumbs from "@mui/material/Breadcrumbs";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";

/** The way back up, and the title of the page as its end. */
export function Trail({ steps, title, isShort = false }: { steps: readonly { name: string; to: string }[]; title: string; isShort?: boolean }) {
  return (
    <Breadcrumbs sx={isShort ? { "& h1": { fontSize: "1.05rem" }, "& ol": { flexWrap: "nowrap", whiteSpace: "nowrap" } } : { mb: 1 }}>
      {steps.map((step) => (
        <Link key={step.to} component={RouterLink} to={step.to} underline="hover" color="text.secondary">
          {step.name}
        </Link>
      ))}
      <Typography variant="h1" color="text.primary">
        {title}
      </Typography>
    </Breadcrumbs>
  );
}
