/** Whether what has the focus takes text, and so has keys of its own. */
export function isTyped(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.isContentEditable || target.closest("input, textarea, select, [role=combobox]") !== null);
}

/** The same, or a cell of a table: a key that is pressed there begins to edit it. */
export function takesKeys(target: EventTarget | null): boolean {
  return isTyped(target) || (target instanceof HTMLElement && target.closest("[role=gridcell]") !== null);
}
