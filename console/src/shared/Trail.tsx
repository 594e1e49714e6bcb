import Breadcrumbs from "@mui/material/Breadcrumbs";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";

/** The way back up, and the title of the page as its end. */
export function Trail({ steps, title }: { steps: readonly { name: string; to: string }[]; title: string }) {
  return (
    <Breadcrumbs sx={{ mb: 1 }}>
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
