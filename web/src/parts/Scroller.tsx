import type { SxProps, Theme } from "@mui/material/styles";
import TableContainer from "@mui/material/TableContainer";
import { type ReactNode, useLayoutEffect, useRef, useState } from "react";

/** A table that may be wider than its place: it scrolls, and only then the keys can reach it to scroll it. */
export function Scroller({ children, sx }: { children: ReactNode; sx?: SxProps<Theme> }) {
  const box = useRef<HTMLDivElement>(null);
  const [wide, setWide] = useState(false);
  useLayoutEffect(() => {
    const held = box.current;
    if (!held || typeof ResizeObserver === "undefined") return;
    const watch = new ResizeObserver(() => setWide(held.scrollWidth > held.clientWidth + 1));
    watch.observe(held);
    if (held.firstElementChild) watch.observe(held.firstElementChild);
    return () => watch.disconnect();
  }, []);
  return (
    <TableContainer
      ref={box}
      sx={sx}
      {...(wide && { tabIndex: 0, role: "group", "aria-label": "Scrolls sideways" })}
    >
      {children}
    </TableContainer>
  );
}
