import Box from "@mui/material/Box";
import { useState } from "react";

import { $api } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { Empty } from "../../parts/words";
import { MakeRequest, RequestList } from "./Requests";
import { TeachingTabs } from "./TeachingTabs";

/** All pay requests, the newest first, and making one for somebody's month. */
export default function PayPage() {
  const me = useMe();
  const acts = useDone();
  const [who, setWho] = useState("");
  const [month, setMonth] = useState(me.today.slice(0, 7));
  const query = $api.useQuery("get", "/api/v1/pay-requests");
  const people = $api.useQuery("get", "/api/v1/instructors");
  if (!query.data)
    return <NotYet title="Pay requests" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Pay requests"
      margin={null}
      notes={<ActNotes acts={acts} />}
      help="What a run pays is worked out anew from its facts until a pay request is made of it. From then on what was asked for stands, and whatever changes becomes a line of the next request."
    >
      <TeachingTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Pay requests
      </Box>
      <Row wrap end sx={{ marginBottom: 12 }}>
        <Choice
          label="Of"
          width={210}
          value={who}
          onChange={setWho}
          options={[
            { value: "", text: "choose an instructor" },
            ...(people.data ?? [])
              .filter((i) => i.active)
              .map((i) => ({ value: String(i.id), text: i.name })),
          ]}
        />
        <Field label="Through the month, like 2027-09" width={240} value={month} onChange={setMonth} />
        {who && (
          <MakeRequest
            body={{ instructor_id: Number(who), month: month.trim() }}
            text="See the pay request"
            acts={acts}
          />
        )}
      </Row>
      {query.data.length === 0 ? (
        <Empty as="p">
          No pay request was made yet. Choose an instructor above, or go by the run’s page.
        </Empty>
      ) : (
        <RequestList rows={query.data} acts={acts} named />
      )}
    </Page>
  );
}
