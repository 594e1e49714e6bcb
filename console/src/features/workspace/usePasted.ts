import { useEffect, useRef } from "react";

import { isTyped } from "../../shared/isTyped";

/** A block of text that is pasted while nothing takes text: a snippet from a web page, a part of another file. */
export function usePasted(onBlock: (text: string) => void): void {
  const current = useRef(onBlock);
  useEffect(() => { current.current = onBlock; });
  useEffect(() => {
    const pasted = (event: ClipboardEvent) => {
      const text = event.clipboardData?.getData("text/plain") ?? "";
      if (event.defaultPrevented || isTyped(event.target) || !isBlock(text)) return;
      event.preventDefault();
      current.current(text);
    };
    window.addEventListener("paste", pasted);
    return () => { window.removeEventListener("paste", pasted); };
  }, []);
}

/** More than a word: several lines, or something with signs of a format. */
function isBlock(text: string): boolean {
  return text.trim().includes("\n") || /^\s*[<{[]/.test(text) || /^\s*[\w.-]+\s*[:=]/.test(text);
}
