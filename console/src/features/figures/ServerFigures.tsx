import type { Schemas } from "../../api/client";
import { FiguresPanel } from "./FiguresPanel";

/** The figures of a server as it is. */
export function ServerFigures({ server }: { server: Schemas["ServerOut"] }) {
  return <FiguresPanel of={{ serverId: server.id }} />;
}
