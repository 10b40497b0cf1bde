import Box from "@mui/material/Box";
import { useSearchParams } from "react-router";

import { Words } from "../../form/Views";
import { ActNotes, Page } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { ClosedDays } from "./ClosedDays";
import { Places } from "./Places";
import { PlannerTabs } from "./PlannerTabs";

/** Rooms and other places, and the days on which the center is closed. */
export default function PlacesPage() {
  const [params, setParams] = useSearchParams();
  const tab = params.get("tab") ?? "places";
  const acts = useDone();
  return (
    <Page
      title="Places and closed days"
      notes={<ActNotes acts={acts} />}
      help={
        tab === "places"
          ? "A room’s seats are held against the seats of every run in it. Online, the link and host key of each meeting are made when its run is published. A place that is closed for a time clashes with what is planned there."
          : "Patterns leave out closed days, or add a meeting at the end. Any public holiday can be taught on all the same."
      }
      margin={null}
    >
      <PlannerTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Places and closed days
      </Box>
      <Words
        label="Show"
        value={tab}
        words={[
          ["places", "places"],
          ["days", "closed days"],
        ]}
        onPick={(v) => setParams({ tab: v }, { replace: true })}
      />
      <Box sx={{ marginTop: 16 }}>{tab === "days" ? <ClosedDays acts={acts} /> : <Places acts={acts} />}</Box>
    </Page>
  );
}
