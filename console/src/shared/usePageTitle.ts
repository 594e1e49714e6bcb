import { useEffect } from "react";

/** What the browser's tab says of this page; nothing changes where it is empty. */
export function usePageTitle(title: string): void {
  useEffect(() => {
    if (!title) return undefined;
    document.title = `${title} · Zerrit`;
    return () => { document.title = "Zerrit"; };
  }, [title]);
}
