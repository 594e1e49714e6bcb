import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { askAgain } from "./askAgain";

/** Look again at whatever the service says has changed, for as long as the console is open. */
export function useEvents(): void {
  const queries = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/v1/events");
    const again = (...keys: string[]) => () => {
      for (const key of keys) void askAgain(queries, key);
    };
    source.addEventListener("run", (event: MessageEvent<string>) => {
      const { run, state } = JSON.parse(event.data) as { run: number; state: string };
      void queries.invalidateQueries({ queryKey: ["run", run] });
      // Everything around a run changes when it ends; asking at each of its stages would only slow it down.
      if (state !== "running") again("change", "changes", "timeline", "servers", "files", "entries", "file", "findings", "about", "overview", "drift", "schedule")();
    });
    source.addEventListener("change", again("change", "changes", "entries", "file", "findings", "about"));
    source.addEventListener("server", again("servers", "files", "timeline", "entries", "file", "findings", "about", "overview", "drift", "schedule"));
    source.addEventListener("fetch", (event: MessageEvent<string>) => {
      const { server, done, of } = JSON.parse(event.data) as { server: string; done: number; of: number };
      queries.setQueryData(["fetching", server], { done, of });
    });
    source.addEventListener("note", again("about", "comments"));
    source.addEventListener("rollout", again("rollouts"));
    return () => {
      source.close();
    };
  }, [queries]);
}
