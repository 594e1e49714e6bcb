/** States in which a change can still be edited; the service decides, this only spares a refused click. */
export const EDITABLE: readonly string[] = ["draft", "checked", "approved", "rolled-back"];
