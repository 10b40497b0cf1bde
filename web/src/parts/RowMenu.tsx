import IconButton from "@mui/material/IconButton";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useState } from "react";

/** What else can be done with a row: a menu at its end that also opens by key, and gives the focus back. */
export function RowMenu({ of, acts }: { of: string; acts: { text: string; do: () => void }[] }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  return (
    <>
      <IconButton
        aria-label={`More for ${of}`}
        aria-haspopup="menu"
        aria-expanded={at !== null}
        onClick={(e) => setAt(e.currentTarget)}
        onKeyDown={(e) => {
          if (e.key !== "ArrowDown") return;
          e.preventDefault();
          setAt(e.currentTarget);
        }}
      >
        ⋯
      </IconButton>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)} transitionDuration={0}>
        {acts.map((act) => (
          <MenuItem
            key={act.text}
            onClick={() => {
              setAt(null);
              act.do();
            }}
          >
            {act.text}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
