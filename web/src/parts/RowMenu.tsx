import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { type KeyboardEvent, type MouseEvent, type ReactNode, useState } from "react";

type Acts = { key?: string; text: string; do: () => void }[];

/** A menu at the button that opens it, also by the arrow down; it gives the focus back. */
function useMenu(acts: Acts) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  return {
    button: {
      "aria-haspopup": "menu",
      "aria-expanded": at !== null,
      onClick: (e: MouseEvent<HTMLElement>) => setAt(e.currentTarget),
      onKeyDown: (e: KeyboardEvent<HTMLElement>) => {
        if (e.key !== "ArrowDown") return;
        e.preventDefault();
        setAt(e.currentTarget);
      },
    } as const,
    menu: (
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)} transitionDuration={0}>
        {acts.map((act) => (
          <MenuItem
            key={act.key ?? act.text}
            onClick={() => {
              setAt(null);
              act.do();
            }}
          >
            {act.text}
          </MenuItem>
        ))}
      </Menu>
    ),
  };
}

/** What else can be done with a row: a menu at its end. */
export function RowMenu({ of, acts }: { of: string; acts: Acts }) {
  const { button, menu } = useMenu(acts);
  return (
    <>
      <IconButton aria-label={`More for ${of}`} {...button}>
        ⋯
      </IconButton>
      {menu}
    </>
  );
}

/** A menu at a word. */
export function WordMenu({ acts, children }: { acts: Acts; children: ReactNode }) {
  const { button, menu } = useMenu(acts);
  return (
    <>
      <Button variant="text" {...button}>
        {children}
      </Button>
      {menu}
    </>
  );
}
