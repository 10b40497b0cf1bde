import Button from "@mui/material/Button";
import { useState } from "react";

import { messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import type { useSavedForm } from "../../form/useSavedForm";
import { Note, Part, Row, Stack } from "../../parts/layout";
import { Fault, P, T } from "../../parts/words";
import { MarkdownField, type Preview } from "./Markdown";

export type Text = Required<Schemas["CourseText"]>;
export type Of = ReturnType<typeof useSavedForm<Text & Record<string, unknown>, unknown>>;
/** Where files of the text go, and what is to be read anew once one was added; without `documents` none are taken. */
export type Files = { pictures: string; documents: string | null; added: () => Promise<unknown> };

const LEVELS: { value: string; text: string }[] = [
  { value: "", text: "not said" },
  { value: "everybody", text: "for everybody" },
  { value: "beginners", text: "for beginners" },
  { value: "some experience", text: "with some experience" },
  { value: "experienced", text: "for the experienced" },
];
const LANGUAGES = ["en", "es", "fr", "de", "it", "pt", "pl", "zh", "ja", "ar", "ru", "nl"];
const names = new Intl.DisplayNames("en", { type: "language" });
/** Whether what was typed is saved, and what somebody else wrote meanwhile. */
export function SavedState({ of, onTheirs }: { of: Of; onTheirs: () => void }) {
  return (
    <>
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
                onTheirs();
              }}
            >
              Take theirs
            </Button>
          </Row>
        </Note>
      )}
    </>
  );
}

/** The fields of a course's text that whoever writes may write; the others are not there. */
export function TextFields({
  of,
  may,
  files,
  preview,
}: {
  of: Of;
  may: (name: keyof Text) => boolean;
  files: Files;
  preview: Preview;
}) {
  const v = of.values;
  const words = (name: "subtitle" | "film" | "summary") => ({
    value: v[name],
    onChange: (text: string) => of.set({ [name]: text }),
    onBlur: of.flush,
    fault: of.faults[`/set/${name}`],
  });
  const marked = (name: "description" | "program" | "requirements" | "audience") => ({
    ...{ value: v[name], onBlur: of.flush, fault: of.faults[`/set/${name}`], preview },
    onChange: (text: string) => of.set({ [name]: text }),
  });
  return (
    <>
      {may("summary") && (
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
      )}
      {(may("description") || may("program")) && (
        <Part as="div">
          <h2>The course</h2>
          <Stack>
            {may("description") && <MarkdownField label="Description" {...marked("description")} />}
            {may("program") && <MarkdownField label="Program" {...marked("program")} />}
            {may("highlights") && (
              <Lines
                label="Highlights, one a line"
                value={v.highlights}
                fault={faultOf(of.faults, "/set/highlights")}
                onChange={(highlights) => of.set({ highlights })}
                onBlur={of.flush}
              />
            )}
            {may("audience") && <MarkdownField label="For whom" {...marked("audience")} />}
            {may("requirements") && <MarkdownField label="What one needs" {...marked("requirements")} />}
          </Stack>
        </Part>
      )}
      {may("asked") && (
        <Part as="div">
          <h2>Questions</h2>
          <Asked of={of} />
        </Part>
      )}
      {may("picture") && (
        <Part as="div">
          <h2>Pictures</h2>
          <Pictures files={files} of={of} />
        </Part>
      )}
      {(may("film") || (may("documents") && files.documents)) && (
        <Part as="div">
          <h2>Film, papers</h2>
          <Stack>
            {may("film") && (
              <Field
                label="Link to a film"
                width="min(420px, 100%)"
                {...words("film")}
                placeholder="https://"
              />
            )}
            {may("documents") && files.documents && <Documents path={files.documents} of={of} />}
          </Stack>
        </Part>
      )}
      {may("tags") && (
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
      )}
    </>
  );
}

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
function Pictures({ files, of }: { files: Files; of: Of }) {
  const [fault, setFault] = useState("");
  const { picture, gallery } = of.values;
  const small = (key: string) => `/catalog/pictures/${key}-small.jpg`;
  const add = (file: File) => {
    sent<Schemas["PictureOut"]>(files.pictures, file)
      .then(async (made) => {
        setFault("");
        await files.added();
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

function Documents({ path, of }: { path: string; of: Of }) {
  const [fault, setFault] = useState("");
  const rows = of.values.documents;
  const add = (file: File) => {
    sent<Schemas["DocumentOut"]>(path, file)
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
