import Button from "@mui/material/Button";
import { useEffect, useRef, useState } from "react";

import type { Schemas } from "../../api/client";
import { usePageTitle } from "../../shared/usePageTitle";

type Run = Schemas["RunOut"];

/** How a run goes, for those who look elsewhere: in the title of the browser's tab, and as a notification if they want one. */
export function RunNews({ run, title }: { run: Run; title: string }) {
  const [permission, setPermission] = useState(() => ("Notification" in window ? Notification.permission : "denied"));
  const isRunning = run.state === "running";
  const [wasSeen, setSeen] = useState(isRunning); // a run that ended before this page was opened is no news
  if (isRunning && !wasSeen) setSeen(true);
  const hasNotified = useRef(false);
  usePageTitle(isRunning ? `… ${title}: ${run.stage}` : wasSeen ? `${title}: ${run.result}` : "");
  useEffect(() => {
    if (isRunning || !wasSeen || hasNotified.current || permission !== "granted") return;
    hasNotified.current = true;
    new Notification(`${title}: ${run.result}`, { body: run.outcome, tag: `run ${String(run.id)}` });
  }, [isRunning, wasSeen, permission, run.id, run.outcome, run.result, title]);
  if (!isRunning || permission !== "default") return null;
  return (
    <Button color="inherit" onClick={() => { void Notification.requestPermission().then(setPermission); }}>
      Notify me when it ends
    </Button>
  );
}
