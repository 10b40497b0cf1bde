import { styled, useColorScheme } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { type ComponentType, lazy, Suspense, useEffect, useState } from "react";
import { Link, Navigate, NavLink, Route, Routes, useLocation, useNavigate, useParams } from "react-router";

import { type Draft, useDrafts } from "../form/drafts";
import { Gatelet } from "../parts/Arch";
import { Loading, Row } from "../parts/layout";
import { Page, Trouble } from "../parts/Page";
import { Ribbon } from "../parts/Ribbon";
import { WordMenu } from "../parts/RowMenu";
import { day } from "../parts/text";
import { T } from "../parts/words";
import { SignIn } from "../subjects/access/SignIn";
import { ListsAtWork, useListsAtWork } from "../subjects/bulk/ListsAtWork";
import { useParkedCount } from "../subjects/roster/DeskCalls";
import { ink, serif } from "../theme/palette";
import { Find } from "./Find";
import { Keys } from "./Keys";
import { NewNames } from "./NewNames";
import { api, ask } from "./server";
import { type Me, MeContext, useKept, useSession } from "./session";

const Frame_ = styled("div")({ minHeight: "100%", display: "flex", flexDirection: "column" });
const HeadLine = styled("header")({
  display: "flex",
  alignItems: "center",
  height: 50,
  padding: "0 24px",
  borderBottom: `1px solid ${ink.line}`,
  background: ink.sheet,
  flex: "none",
  whiteSpace: "nowrap",
  "& .mark": {
    display: "flex",
    alignItems: "center",
    gap: 10,
    font: `600 19px ${serif}`,
    color: ink.ink,
    textDecoration: "none",
  },
  "& .where": {
    color: ink.slate,
    margin: "0 16px",
    paddingLeft: 16,
    borderLeft: `1px solid ${ink.line}`,
    overflow: "hidden",
    textOverflow: "ellipsis",
    "& .center": { "@media (max-width: 1340px)": { display: "none" } },
  },
  "& nav": { marginLeft: "auto", display: "flex", alignSelf: "stretch", gap: 18 },
  "& nav a": {
    display: "flex",
    alignItems: "center",
    color: ink.slate,
    textDecoration: "none",
    borderBottom: "3px solid transparent",
    borderTop: "3px solid transparent",
  },
  "& nav a:hover": { color: ink.ink },
  "& nav a.active": { color: ink.ink, fontWeight: 600, borderBottomColor: ink.verdigris },
  "& .who": { marginLeft: 18, paddingLeft: 16, borderLeft: `1px solid ${ink.line}` },
});

const RunList = lazy(() => import("../subjects/courses/RunList"));
const NewRun = lazy(() => import("../subjects/courses/NewRun"));
const RunPage = lazy(() => import("../subjects/courses/RunPage"));
const PeoplePage = lazy(() => import("../subjects/people/PeoplePage"));
const PersonPage = lazy(() => import("../subjects/people/PersonPage"));
const Desk = lazy(() => import("../subjects/roster/Desk"));
const TodayPage = lazy(() => import("../subjects/today/TodayPage"));
const TimeLine = lazy(() => import("../subjects/schedule/TimeLine"));
const WeekView = lazy(() => import("../subjects/schedule/WeekView"));
const MonthList = lazy(() => import("../subjects/schedule/Sheets").then((m) => ({ default: m.MonthList })));
const DaySheet = lazy(() => import("../subjects/schedule/Sheets").then((m) => ({ default: m.DaySheet })));
const ClashesPage = lazy(() => import("../subjects/schedule/ClashesPage"));
const Season = lazy(() => import("../subjects/schedule/Season"));
const CopyRuns = lazy(() => import("../subjects/schedule/CopyRuns"));
const InstructorsPage = lazy(() => import("../subjects/teaching/InstructorsPage"));
const InstructorPage = lazy(() => import("../subjects/teaching/InstructorPage"));
const CoverPage = lazy(() => import("../subjects/teaching/CoverPage"));
const PayPage = lazy(() => import("../subjects/teaching/PayPage"));
const ApplicationsPage = lazy(() => import("../subjects/teaching/ApplicationsPage"));
const RulesPage = lazy(() => import("../subjects/teaching/RulesPage"));
const PlacesPage = lazy(() => import("../subjects/schedule/PlacesPage"));
const Outbox = lazy(() => import("../subjects/messages/Outbox"));
const CallList = lazy(() => import("../subjects/messages/CallList"));
const OutstandingPage = lazy(() => import("../subjects/money/OutstandingPage"));
const AccountPage = lazy(() => import("../subjects/money/AccountPage"));
const PreparingPage = lazy(() => import("../subjects/teaching/PreparingPage"));
const CardsPage = lazy(() => import("../subjects/money/CardsPage"));
const TillPage = lazy(() => import("../subjects/money/TillPage"));
const QuotesPage = lazy(() => import("../subjects/fees/QuotesPage"));
const PlansPage = lazy(() => import("../subjects/fees/PlansPage"));
const CodesPage = lazy(() => import("../subjects/fees/CodesPage"));
const StockPage = lazy(() => import("../subjects/fees/StockPage"));
const PricesPage = lazy(() => import("../subjects/fees/PricesPage"));
const DefaultsPage = lazy(() => import("../subjects/fees/DefaultsPage"));
const EarlyBird = lazy(() => import("../subjects/fees/EarlyBird"));
const InterestPage = lazy(() => import("../subjects/roster/InterestPage"));
const DemandPage = lazy(() => import("../subjects/roster/DemandPage"));
const GroupsPage = lazy(() => import("../subjects/roster/GroupsPage"));
const SentencesPage = lazy(() => import("../subjects/bulk/SentencesPage"));
const ListsPage = lazy(() => import("../subjects/bulk/ListsPage"));
const NewList = lazy(() => import("../subjects/bulk/NewList"));
const SettingsPage = lazy(() => import("../subjects/center/SettingsPage"));
const OrganizationPage = lazy(() => import("../subjects/people/OrganizationPage"));
const CoursePage = lazy(() => import("../subjects/courses/CoursePage"));
const CatalogPage = lazy(() => import("../subjects/catalog/CatalogPage"));
const GuidePage = lazy(() => import("./Guide"));
const StaffPage = lazy(() => import("../subjects/center/StaffPage"));
const MyAccount = lazy(() => import("../subjects/center/MyAccount"));
const ListPage = lazy(() => import("../subjects/bulk/ListPage"));

/** The frame around everything: one header line, and below it the page. */
export function Frame() {
  const { me, error, refresh } = useSession();
  if (error) return <Trouble error={error} retry={refresh} />;
  if (me === undefined) return <Loading />;
  if (me === null) return <SignIn onDone={refresh} />;
  if (me.set_up)
    return (
      <MeContext value={me}>
        <Suspense fallback={<Loading />}>
          <MyAccount />
        </Suspense>
      </MeContext>
    );
  return (
    <MeContext value={me}>
      <NewNames />
      <Shell me={me} />
    </MeContext>
  );
}

function Shell({ me }: { me: Me }) {
  const queries = useQueryClient();
  const { pathname } = useLocation();
  const { mode, systemMode, setMode } = useColorScheme();
  const night = (mode === "system" ? systemMode : mode) === "dark";
  const [keys, setKeys] = useState(false);
  const planner = pathname === "/planner" || pathname === "/today" || pathname === "/";
  const [ribbon, setRibbon] = useKept<Record<string, boolean>>("ribbon-open", {});
  const open = ribbon[planner ? "planner" : "else"] ?? planner;
  const out = async () => {
    await ask(api.DELETE("/api/v1/session"));
    queries.clear();
    window.location.assign("/");
  };
  const act = (name: string) => {
    if (name === "night") setMode(night ? "light" : "dark");
    else if (name === "keys") setKeys(true);
    else if (name === "out") void out();
  };
  useEffect(() => {
    const listen = (e: KeyboardEvent) => {
      if (e.key !== "F1") return;
      e.preventDefault();
      setKeys((old) => !old);
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
  return (
    <Frame_>
      <Head me={me} onAct={act} night={night} />
      <Ribbon
        open={open}
        onToggle={() => setRibbon((old) => ({ ...old, [planner ? "planner" : "else"]: !open }))}
      />
      <Keys open={keys} onClose={() => setKeys(false)} />
      <Suspense fallback={<Loading />}>
        <Routes>
          <Route path="/" element={<Navigate to="/today" replace />} />
          <Route path="/today" element={<TodayPage />} />
          <Route path="/planner" element={<RunList />} />
          <Route path="/planner/line" element={<TimeLine />} />
          <Route path="/planner/week" element={<WeekView />} />
          <Route path="/planner/month" element={<MonthList />} />
          <Route path="/days/:day" element={<Of page={DaySheet} />} />
          <Route path="/clashes" element={<ClashesPage />} />
          <Route path="/season" element={<Season />} />
          <Route path="/copy" element={<CopyRuns />} />
          <Route path="/places" element={<PlacesPage />} />
          <Route path="/teaching" element={<InstructorsPage />} />
          <Route path="/teaching/cover" element={<CoverPage />} />
          <Route path="/teaching/pay" element={<PayPage />} />
          <Route path="/teaching/applications" element={<ApplicationsPage />} />
          <Route path="/teaching/rules" element={<RulesPage />} />
          <Route path="/teaching/:id" element={<Of page={InstructorPage} />} />
          <Route path="/outbox" element={<Outbox />} />
          <Route path="/calls/:id" element={<Of page={CallList} />} />
          <Route path="/runs/new" element={<NewRun />} />
          <Route path="/runs/:id/list" element={<Of page={NewList} />} />
          <Route path="/runs/:id/groups" element={<Of page={GroupsPage} />} />
          <Route path="/sentences" element={<SentencesPage />} />
          <Route path="/lists" element={<ListsPage />} />
          <Route path="/lists/new" element={<NewList />} />
          <Route path="/lists/:batch" element={<Of page={ListPage} />} />
          <Route path="/runs/:id/early-bird" element={<Of page={EarlyBird} />} />
          <Route path="/runs/:id/:tab?" element={<Of page={RunPage} />} />
          <Route path="/desk" element={<Desk />} />
          <Route path="/money" element={<OutstandingPage />} />
          <Route path="/money/till" element={<TillPage />} />
          <Route path="/teaching/preparing" element={<PreparingPage />} />
          <Route path="/money/cards" element={<CardsPage />} />
          <Route path="/money/quotes" element={<QuotesPage />} />
          <Route path="/accounts/:id" element={<Of page={AccountPage} />} />
          <Route path="/money/plans" element={<PlansPage />} />
          <Route path="/money/codes" element={<CodesPage />} />
          <Route path="/money/stock" element={<StockPage />} />
          <Route path="/money/prices" element={<PricesPage />} />
          <Route path="/money/defaults" element={<DefaultsPage />} />
          <Route path="/interest" element={<InterestPage />} />
          <Route path="/demand" element={<DemandPage />} />
          <Route path="/courses" element={<CatalogPage />} />
          <Route path="/courses/:id/:tab?" element={<Of page={CoursePage} />} />
          <Route path="/settings" element={<SettingsPage />} />
          <Route path="/guide/:name?" element={<GuidePage />} />
          <Route path="/staff" element={<StaffPage />} />
          <Route path="/me" element={<MyAccount />} />
          <Route path="/organizations/:id" element={<Of page={OrganizationPage} />} />
          <Route path="/people" element={<PeoplePage />} />
          <Route path="/people/:id" element={<Of page={PersonPage} />} />
          <Route path="*" element={<Nowhere />} />
        </Routes>
      </Suspense>
    </Frame_>
  );
}

/** Pages that belong to the planner. */
const PLANNED = /^\/(planner|clashes|season|copy|places|days|runs|interest|demand)/;

function Head({ me, onAct, night }: { me: Me; onAct: (act: string) => void; night: boolean }) {
  const { pathname } = useLocation();
  const go = useNavigate();
  const parked = useParkedCount();
  const lists = useListsAtWork();
  const drafts = useDrafts().filter((d) => d.at.split("?")[0] !== pathname);
  return (
    <HeadLine>
      <Link className="mark" to="/today">
        <Gatelet done width={24} /> Arch Gate
      </Link>
      <Find onAct={onAct} />
      <span className="where">
        {drafts.length === 0 && lists.length === 0 && <span className="center">{me.center}, </span>}
        {day(me.today)}
      </span>
      <nav aria-label="Places">
        <NavLink to="/today">Today</NavLink>
        <NavLink to="/planner" className={() => (PLANNED.test(pathname) ? "active" : "")}>
          Planner
        </NavLink>
        <NavLink to="/desk">Desk{parked > 0 && <T tone="ochre"> {parked} parked</T>}</NavLink>
        <ListsAtWork items={lists} />
        <NavLink
          to="/people"
          className={() => (/^\/(people|organizations|lists|sentences)/.test(pathname) ? "active" : "")}
        >
          People
        </NavLink>
        <NavLink to="/money" className={() => (/^\/(money|accounts)/.test(pathname) ? "active" : "")}>
          Money
        </NavLink>
        <NavLink to="/teaching">Teaching</NavLink>
        <NavLink to="/courses">Catalog</NavLink>
      </nav>
      <Row as="span" mid className="who" sx={{ gap: 16 }}>
        <NotSent drafts={drafts} />
        <WordMenu
          acts={[
            ...(me.rights.includes("keep settings")
              ? [{ text: "Settings", do: () => void go("/settings") }]
              : []),
            { text: "My account", do: () => void go("/me") },
            ...(me.rights.includes("keep staff")
              ? [{ text: "Staff and roles", do: () => void go("/staff") }]
              : []),
            { text: night ? "Day colors" : "Night colors", do: () => onAct("night") },
            { text: "Sign out", do: () => onAct("out") },
          ]}
        >
          {me.name}
        </WordMenu>
      </Row>
    </HeadLine>
  );
}

/** What was typed on other pages and neither sent nor dropped; so nobody takes for saved what only was typed. */
function NotSent({ drafts }: { drafts: Draft[] }) {
  const go = useNavigate();
  if (drafts.length === 0) return null;
  return (
    <WordMenu acts={drafts.map((d) => ({ key: d.name, text: d.title, do: () => void go(d.at) }))}>
      <T tone="ochre" strong>
        {drafts.length} not saved
      </T>
    </WordMenu>
  );
}

/** A page of one thing: another thing is another page, so that nothing typed or picked goes along. */
function Of({ page: One }: { page: ComponentType }) {
  const { id, batch, day } = useParams();
  return <One key={[id, batch, day].join("/")} />;
}

function Nowhere() {
  return (
    <Page title="Not here" margin={null}>
      <h1>There is nothing at this address</h1>
      <p>
        It may have been mistyped. <Link to="/planner">To the planner</Link>
      </p>
    </Page>
  );
}
