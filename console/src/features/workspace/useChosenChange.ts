import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

import { answer, api, type Schemas } from "../../api/client";
import { usePageQuery } from "../../shared/usePageQuery";
import { EDITABLE } from "../changes/states";
import { fileLink } from "./links";
import { useWorkbench } from "./workbench";

export interface ChosenChange {
  /** The change that edits go into; none until the first edit creates one. */
  id: number | undefined;
  open: Schemas["ChangeOut"][];
  choose: (change: number | undefined) => void;
  /** The number of the change, which is created where there is none. */
  ensure: (title: string) => Promise<number>;
  /** Create a change and choose it. */
  create: (title: string) => Promise<number>;
  isReady: boolean;
  error: Error | null;
}

/** The change that the edits of a server go into: that of the link, else the one that was chosen last. */
export function useChosenChange(serverId: string): ChosenChange {
  const [search, turn] = usePageQuery();
  const queries = useQueryClient();
  const remembered = useWorkbench(({ chosen }) => chosen[serverId]);
  const remember = useWorkbench((state) => state.choose);
  const changes = useQuery({
    queryKey: ["changes", serverId],
    queryFn: () => answer(api.GET("/api/v1/servers/{server_id}/changes", { params: { path: { server_id: serverId } } })),
  });
  const open = changes.data?.filter((one) => EDITABLE.includes(one.state)) ?? [];
  const linked = search.get("change");
  const wanted = linked === null ? remembered : Number(linked);
  const id = open.some((one) => one.id === wanted) ? wanted : undefined;
  useEffect(() => {
    if (linked !== null && id !== undefined) remember(serverId, id);
  }, [linked, id, serverId, remember]);
  const choose = (change: number | undefined) => {
    remember(serverId, change);
    turn({ change }, fileLink(serverId, ""));
  };
  // Edits that follow one another quickly go into one change: the address says which only after it was created.
  const latest = useRef(id);
  useEffect(() => { latest.current = id; }, [id]);
  const create = async (title: string) => {
    const made = await answer(api.POST("/api/v1/servers/{server_id}/changes", { params: { path: { server_id: serverId } }, body: { title } }));
    await queries.invalidateQueries({ queryKey: ["changes"] });
    latest.current = made.id;
    choose(made.id);
    return made.id;
  };
  const ensure = async (title: string) => latest.current ?? create(title);
  return { id, open, choose, ensure, create, isReady: changes.data !== undefined, error: changes.error };
}
