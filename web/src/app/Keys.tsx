import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import { styled } from "@mui/material/styles";
import { useLocation } from "react-router";

import { ink } from "../theme/palette";
import { GuideHere, guideFor } from "./Guide";

const KeysPage = styled("div")({
  padding: "22px 26px",
  minWidth: 380,
  background: ink.sheet,
  color: ink.ink,
  "& dl > div": { display: "flex", gap: 16, padding: "6px 0", borderBottom: `1px solid ${ink.line}` },
  "& dt": { width: 120, display: "flex", gap: 4 },
  "& dd": { margin: 0 },
});

const EVERYWHERE: [string, string][] = [
  ["F2", "find or do anything"],
  ["F1", "the keys of this screen"],
  ["Tab", "to the next field"],
  ["Esc", "close a list or this page; nothing typed is lost"],
];
const HERE: [RegExp, [string, string][]][] = [
  [
    /^\/desk/,
    [
      ["↑ ↓ Enter", "pick a person or a run"],
      ["F4", "back to who"],
      ["F7", "what is paid now; arrows choose how"],
      ["F8", "park the call, and begin another"],
      ["Ctrl Enter", "enroll, or put in line"],
    ],
  ],
  [/^\/runs\/new/, [["Ctrl Enter", "save as a draft"]]],
  [
    /^\/runs\/\d+\/attendance/,
    [
      ["P L E X A", "present, late, left early, excused, absent, and on to the next person"],
      ["↑ ↓", "another person"],
      ["Backspace", "take the mark back"],
    ],
  ],
  [/^\/runs\/\d+/, [["Enter", "save the field or form you are in"]]],
  [
    /^\/planner\/line/,
    [
      ["← →", "move the bar you are on by days, with Shift by weeks"],
      ["Enter", "see what a move touches; without one, go to the run"],
    ],
  ],
  [
    /^\/planner\/week/,
    [
      ["← → ↑ ↓", "move the meeting you are on to another day or lane"],
      ["Enter", "see what the move touches; without one, go to the meeting"],
    ],
  ],
  [
    /^\/season/,
    [
      ["Enter", "to the row below"],
      ["Ctrl D", "take the cell above"],
    ],
  ],
  [/^\/(planner|today)?$/, [["← →", "move the span of the ribbon, when it has the focus"]]],
];

/** The keys of the screen one is on, and what the guide says of it. */
export function Keys({ open, onClose }: { open: boolean; onClose: () => void }) {
  const { pathname } = useLocation();
  const here = HERE.filter(([shape]) => shape.test(pathname)).flatMap(([, keys]) => keys);
  const page = guideFor(pathname);
  return (
    <Dialog open={open} onClose={onClose} aria-labelledby="keys-title" transitionDuration={0}>
      <KeysPage>
        <h2 id="keys-title">Keys of this screen</h2>
        <dl>
          {[...here, ...EVERYWHERE].map(([key, does]) => (
            <div key={key + does}>
              <dt>
                {key.split(" ").map((k) => (
                  <kbd key={k}>{k}</kbd>
                ))}
              </dt>
              <dd>{does}</dd>
            </div>
          ))}
        </dl>
        {page && <GuideHere name={page} onGo={onClose} />}
        <Button variant="text" onClick={onClose}>
          Close
        </Button>
      </KeysPage>
    </Dialog>
  );
}
