import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { useRef } from "react";

import { askAgain } from "../../api/askAgain";
import { answer, api, type Schemas } from "../../api/client";
import type { ChosenChange } from "./useChosenChange";
import { useEditHistory } from "./workbench";
import { useMe } from "../../shared/useMe";

type Step = Schemas["StepIn"];

export interface Edits {
  /** Add steps, all or none; they are undone together. `title` names the change if this edit creates it. */
  add: (steps: Step[], title: string) => Promise<void>;
  undo: () => void;
  redo: () => void;
  canUndo: boolean;
  canRedo: boolean;
  detail: Schemas["ChangeDetail"] | undefined;
  error: Error | null;
  isBusy: boolean;
}

/** Editing the chosen change: adding steps, undoing and redoing them. */
export function useEdits(change: ChosenChange): Edits {
  const queries = useQueryClient();
  const history = useEditHistory();
  const id = change.id;
  const detail = useQuery({
    queryKey: ["change", id],
    queryFn: () => answer(api.GET("/api/v1/changes/{change_id}", { params: { path: { change_id: id ?? 0 } } })),
    enabled: id !== undefined,
  });
  const me = useMe();
  const onSettled = () => askAgain(queries);
  const post = async (to: number, steps: Step[], isRedo: boolean) => {
    const params = { path: { change_id: to } };
    const after = await answer(api.POST("/api/v1/changes/{change_id}/step-list", { params, body: { steps } }));
    history.added(to, after.step_list.slice(-steps.length).map((step) => step.id), isRedo);
  };
  const add = useMutation({
    mutationFn: async ({ steps, title }: { steps: Step[]; title: string }) => { await post(await change.ensure(title), steps, false); },
    onSettled,
  });
  // One after the other, in the order in which they were made.
  const queue = useRef(Promise.resolve());
  const inTurn = (work: () => Promise<void>): Promise<void> => {
    const done = queue.current.then(work);
    queue.current = done.catch(() => undefined);
    return done;
  };
  const listed = id === undefined ? [] : (detail.data?.step_list ?? []);
  const group = undoable(listed, id === undefined ? undefined : history.done[id]?.at(-1), me.data?.name);
  // What is undone or redone is worked out when its turn comes: the edit before it may be on its way still.
  const undo = useMutation({
    mutationFn: async () => {
      if (id === undefined) return;
      const now = queries.getQueryData<Schemas["ChangeDetail"]>(["change", id])?.step_list ?? [];
      const step = undoable(now, useEditHistory.getState().done[id]?.at(-1), me.data?.name);
      if (step.length === 0) return;
      const removed = await answer(api.DELETE("/api/v1/changes/{change_id}/steps", { params: { path: { change_id: id }, query: { step } } }));
      history.removed(id, removed.steps as Step[]); // the client's types take pairs for lists
    },
    onSettled,
  });
  const waiting = id === undefined ? undefined : history.undone[id]?.at(-1);
  const redo = useMutation({
    mutationFn: async () => {
      const steps = id === undefined ? undefined : useEditHistory.getState().undone[id]?.at(-1);
      if (id !== undefined && steps) await post(id, steps, true);
    },
    onSettled,
  });
  const isBusy = add.isPending || undo.isPending || redo.isPending;
  return {
    add: (steps, title) => inTurn(() => add.mutateAsync({ steps, title })),
    undo: () => { inTurn(() => undo.mutateAsync()).catch(() => undefined); },
    redo: () => { inTurn(() => redo.mutateAsync()).catch(() => undefined); },
    canUndo: group.length > 0,
    canRedo: waiting !== undefined,
    detail: detail.data,
    error: add.error ?? undo.error ?? redo.error ?? detail.error,
    isBusy,
  };
}

/** The steps that one undo removes: those that were added together here, else the last one of this person. */
function undoable(listed: readonly Schemas["StepOut"][], last: readonly number[] | undefined, name: string | undefined): number[] {
  const ids = new Set(listed.map((step) => step.id));
  if (last?.length && last.every((one) => ids.has(one))) return [...last];
  const own = listed.filter((step) => step.author === name).at(-1);
  return own ? [own.id] : [];
}
