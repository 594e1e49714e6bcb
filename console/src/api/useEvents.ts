import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

/** Look again at whatever the service says has changed, for as long as the console is open. */
export function useEvents(): void {
  const queries = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/v1/events");
    const again = (...keys: string[]) => () => {
      for (const key of keys) void queries.invalidateQueries({ queryKey: [key] });
    };
    source.addEventListener("run", again("run", "change", "timeline", "servers"));
    source.addEventListener("change", again("change", "changes", "entries", "file"));
    source.addEventListener("server", again("servers", "files", "timeline", "entries", "file"));
    return () => {
      source.close();
    };
  }, [queries]);
}
