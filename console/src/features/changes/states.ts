import type { Schemas } from "../../api/client";

/** States in which a change can still be edited; the service decides, this only spares a refused click. */
export const EDITABLE: readonly Schemas["ChangeState"][] = ["draft", "checked", "rolled-back"];
