import Popover from "@mui/material/Popover";
import { AdapterDayjs } from "@mui/x-date-pickers/AdapterDayjs";
import { DateCalendar } from "@mui/x-date-pickers/DateCalendar";
import { LocalizationProvider } from "@mui/x-date-pickers/LocalizationProvider";
import dayjs from "dayjs";
import updateLocale from "dayjs/plugin/updateLocale";
import { useContext } from "react";

import { MeContext } from "../app/session";
import { ink, serif } from "../theme/palette";

dayjs.extend(updateLocale);

/** A month to pick a day from, below the field it fills. */
export default function Calendar({
  anchor,
  value,
  onPick,
  onClose,
}: {
  anchor: HTMLElement | null;
  value: string;
  onPick: (day: string) => void;
  onClose: () => void;
}) {
  // The library counts from Sunday, the center from Monday.
  const first = useContext(MeContext)?.first_weekday ?? 0;
  dayjs.updateLocale("en", { weekStart: (first + 1) % 7 });
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={onClose}
      transitionDuration={0}
      anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
    >
      <LocalizationProvider dateAdapter={AdapterDayjs}>
        <DateCalendar
          autoFocus
          value={dayjs(value)}
          onChange={(picked, how) => {
            if (picked && how === "finish") onPick(picked.format("YYYY-MM-DD"));
          }}
          sx={{
            width: 260,
            height: 286,
            "& .MuiPickersCalendarHeader-label": { font: `600 15px ${serif}` },
            "& .MuiPickersCalendarHeader-root": { padding: "0 8px 0 12px", margin: "8px 0 4px" },
            "& .MuiDayCalendar-weekDayLabel": { width: 34, height: 26, margin: 0, color: ink.slate },
            "& .MuiPickersDay-root, & .MuiPickerDay-root": {
              width: 34,
              height: 34,
              margin: 0,
              borderRadius: "2px",
              "&.Mui-selected, &.Mui-selected:hover, &.Mui-selected:focus": {
                backgroundColor: ink.verdigrisPale,
                color: ink.ink,
                fontWeight: 600,
                boxShadow: `inset 0 -3px ${ink.verdigris}`,
              },
            },
            "& .MuiPickersDay-today, & .MuiPickerDay-today": { borderColor: ink.brick },
          }}
        />
      </LocalizationProvider>
    </Popover>
  );
}
