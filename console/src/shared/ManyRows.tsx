import Button from "@mui/material/Button";
import { Fragment, type ReactNode, useState } from "react";

const AT_ONCE = 200;

interface Props<T> {
  rows: readonly T[];
  /** What the rows are, in the plural. */
  word: string;
  /** Where the button stands, such as a row of a table. */
  frame?: (button: ReactNode) => ReactNode;
  children: (row: T, index: number) => ReactNode;
}

/** Rows of which there can be thousands: the first of them, and more when they are asked for. */
export function ManyRows<T>({ rows, word, frame = (button) => button, children }: Props<T>) {
  const [shown, setShown] = useState(AT_ONCE);
  const left = rows.length - shown;
  return (
    <>
      {rows.slice(0, shown).map((row, index) => <Fragment key={index}>{children(row, index)}</Fragment>)}
      {left > 0 && frame(
        <Button onClick={() => { setShown(shown + AT_ONCE); }}>
          Show {Math.min(left, AT_ONCE).toLocaleString()} more of {left.toLocaleString()} {word}
        </Button>,
      )}
    </>
  );
}
