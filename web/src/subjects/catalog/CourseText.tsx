import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import { Tick } from "../../form/Tick";
import { useSavedForm } from "../../form/useSavedForm";
import { Loading, Note, Part, Row, Stack } from "../../parts/layout";
import { P, Fault, T } from "../../parts/words";
import { MarkdownField } from "./Markdown";

type Text = Required<Schemas["CourseText"]>;
type TextOut = Schemas["CourseTextOut"];
export const textKey = (course: number) =>
  ["get", "/api/v1/courses/{course_id}/text", { params: { path: { course_id: course } } }] as const;

export function useCourseText(course: number) {
  return $api.useQuery("get", "/api/v1/courses/{course_id}/text", {
    params: { path: { course_id: course } },
  });
}

const LEVELS: { value: string; text: string }[] = [
  { value: "", text: "not said" },
  { value: "everybody", text: "for everybody" },
  { value: "beginners", text: "for beginners" },
  { value: "some experience", text: "with some experience" },
  { value: "experienced", text: "for the experienced" },
];
const LANGUAGES = ["en", "es", "fr", "de", "it", "pt", "pl", "zh", "ja", "ar", "ru", "nl"];
const names = new Intl.DisplayNames("en", { type: "language" });
const FACTS: [Schemas["PublicFact"], string][] = [
  ["program", "program, before one signs up"],
  ["dates", "dates"],
  ["price", "price"],
  ["plans", "payment plans"],
  ["seats", "seats left"],
  ["instructors", "instructors"],
  ["place", "place"],
  ["questions", "questions and answers"],
  ["gallery", "more pictures"],
  ["documents", "documents"],
];

/** The public text of a course, saved as it is typed; the public reads it once it is published. */
export function CourseText({ course }: { course: number }) {
  const query = useCourseText(course);
  if (!query.data) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading rows={8} />;
  return <Edit course={course} page={query.data} />;
}

function Edit({ course, page }: { course: number; page: TextOut }) {
  const queries = useQueryClient();
  const of = useSavedForm<Text & Record<string, unknown>, Schemas["TextChanged"]>({
    draft: `course-text-${course}`,
    start: page.text as Text,
    save: (set, seen) =>
      ask(
        api.PATCH("/api/v1/courses/{course_id}/text", {
          params: { path: { course_id: course } },
          body: { set: set as Text, seen: seen as Text },
        }),
      ),
    saved: (answer) => {
      queries.setQueryData(textKey(course), answer);
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/logs/{of}/{subject_id}"] });
    },
  });
  const v = of.values;
  const words = (name: "subtitle" | "film" | "elsewhere" | "summary") => ({
    value: v[name],
    onChange: (text: string) => of.set({ [name]: text }),
    onBlur: of.flush,
    fault: of.faults[`/set/${name}`],
  });
  const marked = (name: "description" | "program" | "requirements" | "audience") => ({
    value: v[name],
    onChange: (text: string) => of.set({ [name]: text }),
    onBlur: of.flush,
    fault: of.faults[`/set/${name}`],
  });
  return (
    <div>
      <P
        role="status"
        tone={of.trouble || Object.keys(of.faults).length ? "brick" : of.waits ? "ochre" : "slate"}
      >
        {of.trouble
          ? `Not saved: ${of.trouble}`
          : Object.keys(of.faults).length
            ? "Not saved: see below."
            : of.busy
              ? "Saving…"
              : of.waits
                ? "Not saved yet."
                : "Saved."}
      </P>
      {of.conflict && (
        <Note kind="wrong" role="alert">
          <p>Somebody else wrote here meanwhile: {Object.keys(of.conflict).join(", ")}.</p>
          <Row>
            <Button onClick={of.keepMine}>Keep mine</Button>
            <Button
              onClick={() => {
                of.takeTheirs();
                void queries.invalidateQueries({ queryKey: textKey(course) });
              }}
            >
              Take theirs
            </Button>
          </Row>
        </Note>
      )}
      <Part as="div" sx={{ borderTop: 0 }}>
        <h2>In the list</h2>
        <Stack>
          <Field label="Subtitle" width="100%" {...words("subtitle")} />
          <Field
            label="Summary"
            width="100%"
            multiline
            {...words("summary")}
            help="One or two sentences; lists and search engines show them."
          />
        </Stack>
      </Part>
      <Part as="div">
        <h2>The course</h2>
        <Stack>
          <MarkdownField label="Description" {...marked("description")} />
          <MarkdownField label="Program" {...marked("program")} />
          <Lines
            label="Highlights, one a line"
            value={v.highlights}
            fault={faultOf(of.faults, "/set/highlights")}
            onChange={(highlights) => of.set({ highlights })}
            onBlur={of.flush}
          />
          <MarkdownField label="For whom" {...marked("audience")} />
          <MarkdownField label="What one needs" {...marked("requirements")} />
        </Stack>
      </Part>
      <Part as="div">
        <h2>Questions</h2>
        <Asked of={of} />
      </Part>
      <Part as="div">
        <h2>Pictures</h2>
        <Pictures course={course} page={page} of={of} />
      </Part>
      <Part as="div">
        <h2>Film, papers</h2>
        <Stack>
          <Field label="Link to a film" width={420} {...words("film")} placeholder="https://" />
          <Documents course={course} of={of} />
        </Stack>
      </Part>
      <Part as="div">
        <h2>Found by</h2>
        <Row wrap>
          <Choice
            label="Level"
            width={200}
            value={v.level ?? ""}
            onChange={(level) => of.set({ level: (level || null) as Text["level"] })}
            options={LEVELS}
          />
          <Choice
            label="Language"
            width={180}
            value={v.language}
            onChange={(language) => of.set({ language })}
            options={[...new Set([v.language, ...LANGUAGES])].map((code) => ({
              value: code,
              text: names.of(code || "en") ?? code,
            }))}
            fault={of.faults["/set/language"]}
          />
          <Lines
            label="Tags, one a line"
            value={v.tags}
            fault={faultOf(of.faults, "/set/tags")}
            onChange={(tags) => of.set({ tags })}
            onBlur={of.flush}
          />
        </Row>
      </Part>
      <Part as="div">
        <h2>Shown</h2>
        <Stack>
          <Row wrap>
            {FACTS.map(([fact, text]) => (
              <Tick
                key={fact}
                checked={!v.hidden.includes(fact)}
                onChange={(on) =>
                  of.set({ hidden: on ? v.hidden.filter((f) => f !== fact) : [...v.hidden, fact] })
                }
              >
                {text}
              </Tick>
            ))}
          </Row>
          <Row wrap>
            <Choice
              label="Seats left are said"
              width={220}
              value={v.seats_shown ?? ""}
              onChange={(how) => of.set({ seats_shown: (how || null) as Text["seats_shown"] })}
              options={[
                { value: "", text: "as the center says it" },
                { value: "number", text: "by their number" },
                { value: "few", text: "when few are left" },
                { value: "none", text: "only when none is left" },
              ]}
            />
            <Field
              label="Sign-up is elsewhere, at this address"
              width={420}
              {...words("elsewhere")}
              placeholder="https://"
              help="Then the page leads there, and nobody signs up here."
            />
          </Row>
        </Stack>
      </Part>
    </div>
  );
}

type Of = ReturnType<typeof useSavedForm<Text & Record<string, unknown>, Schemas["TextChanged"]>>;

const faultOf = (faults: Record<string, string>, at: string) =>
  Object.entries(faults).find(([place]) => place === at || place.startsWith(`${at}/`))?.[1];

/** A list that is typed a line an entry; an empty line is none, but may be typed on. */
function Lines({
  label,
  value,
  onChange,
  onBlur,
  fault,
}: {
  label: string;
  value: string[];
  onChange: (value: string[]) => void;
  onBlur: () => void;
  fault?: string;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <Field
      label={label}
      width={320}
      multiline
      value={typed ?? value.join("\n")}
      onChange={(text) => {
        setTyped(text);
        onChange(
          text
            .split("\n")
            .map((line) => line.trim())
            .filter(Boolean),
        );
      }}
      onBlur={() => {
        setTyped(null);
        onBlur();
      }}
      fault={fault}
    />
  );
}

function Asked({ of }: { of: Of }) {
  const rows = of.values.asked;
  const put = (n: number, change: Partial<Schemas["AskedOften"]>) =>
    of.set({ asked: rows.map((row, i) => (i === n ? { ...row, ...change } : row)) });
  return (
    <div>
      {rows.map((row, n) => (
        <Stack key={n} sx={{ marginBottom: "14px" }}>
          <Field
            label={`Question ${n + 1}`}
            width="100%"
            value={row.question}
            onChange={(question) => put(n, { question })}
            onBlur={of.flush}
            fault={of.faults[`/set/asked/${n}/question`]}
          />
          <Field
            label="Answer"
            tail={` to question ${n + 1}`}
            width="100%"
            multiline
            value={row.answer}
            onChange={(answer) => put(n, { answer })}
            onBlur={of.flush}
            fault={of.faults[`/set/asked/${n}/answer`]}
          />
          <Button
            variant="text"
            sx={{ justifySelf: "start" }}
            onClick={() => of.set({ asked: rows.filter((_, i) => i !== n) })}
          >
            take out question {n + 1}
          </Button>
        </Stack>
      ))}
      <Button variant="text" onClick={() => of.set({ asked: [...rows, { question: "", answer: "" }] })}>
        A further question
      </Button>
    </div>
  );
}

async function sent<T>(path: string, file: File): Promise<T> {
  const body = new FormData();
  body.append("file", file);
  const answer = await fetch(path, { method: "POST", body });
  const said = (await answer.json().catch(() => ({}))) as T & { detail?: string };
  if (!answer.ok) throw new Error(said.detail ?? "The file could not be taken.");
  return said;
}

/** The picture that stands at the head, and further ones; what each shows is said in words. */
function Pictures({ course, page, of }: { course: number; page: TextOut; of: Of }) {
  const queries = useQueryClient();
  const [fault, setFault] = useState("");
  const { picture, gallery } = of.values;
  const small = (key: string) =>
    page.pictures.find((p) => p.key === key)?.small ?? `/catalog/pictures/${key}-small.jpg`;
  const add = (file: File) => {
    sent<Schemas["PictureOut"]>(`/api/v1/courses/${course}/pictures`, file)
      .then(async (made) => {
        setFault("");
        await queries.invalidateQueries({ queryKey: textKey(course) });
        const used = { key: made.key, alt: "" };
        of.set(of.values.picture ? { gallery: [...of.values.gallery, used] } : { picture: used });
      })
      .catch((error: unknown) => setFault(messageOf(error)));
  };
  const all = [...(picture ? [picture] : []), ...gallery];
  const put = (next: Schemas["PictureUsed"][]) =>
    of.set({ picture: next[0] ?? null, gallery: next.slice(1) });
  return (
    <div>
      {all.map((used, n) => (
        <Row key={used.key} sx={{ marginBottom: 10 }}>
          <img
            src={small(used.key)}
            alt=""
            width={120}
            style={{ aspectRatio: "4 / 3", objectFit: "cover" }}
          />
          <div style={{ flex: 1 }}>
            <Field
              label={n === 0 ? "What the first picture shows" : `What picture ${n + 1} shows`}
              width="100%"
              value={used.alt}
              onChange={(alt) => put(all.map((p, i) => (i === n ? { ...p, alt } : p)))}
              onBlur={of.flush}
              fault={
                of.faults[n === 0 ? "/set/picture/alt" : `/set/gallery/${n - 1}/alt`] ??
                (used.alt.trim() ? undefined : "Say it for those who do not see it.")
              }
            />
            <Row>
              {n > 0 && (
                <Button
                  variant="text"
                  onClick={() => put(all.map((p, i) => (i === n - 1 ? used : i === n ? all[n - 1]! : p)))}
                >
                  move picture {n + 1} up
                </Button>
              )}
              <Button variant="text" onClick={() => put(all.filter((_, i) => i !== n))}>
                take out picture {n + 1}
              </Button>
            </Row>
          </div>
        </Row>
      ))}
      <FileButton
        label="The picture file"
        text={all.length ? "A further picture" : "A picture"}
        accept="image/jpeg,image/png,image/webp"
        onFile={add}
      />{" "}
      <T small>JPEG, PNG or WebP, up to 10 MB.</T>
      {fault && <Fault role="alert">{fault}</Fault>}
    </div>
  );
}

function Documents({ course, of }: { course: number; of: Of }) {
  const [fault, setFault] = useState("");
  const rows = of.values.documents;
  const add = (file: File) => {
    sent<Schemas["DocumentOut"]>(`/api/v1/courses/${course}/documents`, file)
      .then((made) => {
        setFault("");
        of.set({ documents: [...of.values.documents, { key: made.key, name: made.name }] });
      })
      .catch((error: unknown) => setFault(messageOf(error)));
  };
  return (
    <div>
      {rows.map((row, n) => (
        <Row key={row.key} end>
          <Field
            label={`Document ${n + 1}`}
            width={320}
            value={row.name}
            onChange={(name) => of.set({ documents: rows.map((r, i) => (i === n ? { ...r, name } : r)) })}
            onBlur={of.flush}
            fault={of.faults[`/set/documents/${n}/name`]}
          />
          <a href={`/catalog/documents/${row.key}.pdf`}>open</a>
          <Button variant="text" onClick={() => of.set({ documents: rows.filter((_, i) => i !== n) })}>
            take out document {n + 1}
          </Button>
        </Row>
      ))}
      <FileButton label="The document file" text="A document" accept="application/pdf" onFile={add} />{" "}
      <T small>PDF, up to 10 MB.</T>
      {fault && <Fault role="alert">{fault}</Fault>}
    </div>
  );
}
