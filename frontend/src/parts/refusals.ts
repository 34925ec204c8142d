import { useSyncExternalStore } from "react";
import { onRefusal, refusalCount } from "../api/client";

/** How often something was refused with its fields; changes when it happens again. */
export function useRefusals(): number {
  return useSyncExternalStore(onRefusal, refusalCount);
}
