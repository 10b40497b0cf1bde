import { useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Link, Navigate, NavLink, Route, Routes } from "react-router";

import { Gatelet } from "../parts/Arch";
import { Page, Trouble } from "../parts/Page";
import { day } from "../parts/text";
import { SignIn } from "../subjects/access/SignIn";
import { api, ask } from "./server";
import { MeContext, useSession, type Me } from "./session";

const RunList = lazy(() => import("../subjects/courses/RunList"));
const NewRun = lazy(() => import("../subjects/courses/NewRun"));
const RunPage = lazy(() => import("../subjects/courses/RunPage"));
const Desk = lazy(() => import("../subjects/roster/Desk"));
const ListPage = lazy(() => import("../subjects/bulk/ListPage"));

/** The frame around everything: one header line, and below it the page. */
export function Frame() {
  const { me, error, refresh } = useSession();
  if (error) return <Trouble error={error} retry={refresh} />;
  if (me === undefined) return <div className="quiet-block" aria-busy="true" />;
  if (me === null) return <SignIn onDone={refresh} />;
  return (
    <MeContext value={me}>
      <div className="frame">
        <Head me={me} />
        <Suspense fallback={<div className="quiet-block" aria-busy="true" />}>
          <Routes>
            <Route path="/" element={<Navigate to="/planner" replace />} />
            <Route path="/planner" element={<RunList />} />
            <Route path="/runs/new" element={<NewRun />} />
            <Route path="/runs/:id/list" element={<ListPage />} />
            <Route path="/runs/:id/list/:batch" element={<ListPage />} />
            <Route path="/runs/:id/:tab?" element={<RunPage />} />
            <Route path="/desk" element={<Desk />} />
            <Route path="*" element={<Nowhere />} />
          </Routes>
        </Suspense>
      </div>
    </MeContext>
  );
}

function Head({ me }: { me: Me }) {
  const queries = useQueryClient();
  const out = async () => {
    await ask(api.DELETE("/api/v1/session"));
    queries.clear();
    window.location.assign("/");
  };
  return (
    <header className="head">
      <Link className="mark" to="/planner">
        <Gatelet done width={24} /> Arch Gate
      </Link>
      <span className="where">
        {me.center}, {day(me.today)}
      </span>
      <nav aria-label="Places">
        <NavLink to="/planner">Planner</NavLink>
        <NavLink to="/desk">Desk</NavLink>
      </nav>
      <span className="who">
        {me.name}{" "}
        <button className="plainly quiet" onClick={() => void out()}>
          sign out
        </button>
      </span>
    </header>
  );
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
