import Box from "@mui/material/Box";
import Skeleton from "@mui/material/Skeleton";
import { useEffect, useState } from "react";

const AFTER = 150; // milliseconds; what comes sooner needs no grey lines

/** Grey lines where content will be. */
export function Loading({ lines = 8 }: { lines?: number }) {
  const [isShown, setShown] = useState(false);
  useEffect(() => {
    const timer = window.setTimeout(() => { setShown(true); }, AFTER);
    return () => { window.clearTimeout(timer); };
  }, []);
  return (
    <Box role="status" aria-label="Loading" sx={{ p: 1.5 }}>
      {isShown && Array.from({ length: lines }, (_, index) => <Skeleton key={index} height={26} width={`${String(92 - ((index * 17) % 40))}%`} />)}
    </Box>
  );
}
