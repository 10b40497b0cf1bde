"""The linked data of a course's page, checked against schema.org's own vocabulary.

Source: schema.org, as the types of schema-dts 2.1.0 (npm, Apache-2.0, generated from schema.org's published vocabulary), by TypeScript's
compiler: a property that a type does not have, or a value of another kind, does not compile.
"""

import json
import re
import subprocess

import pytest

from archgate.settings import ROOT
from made import public_run, published

WEB = ROOT / "web"


def compiled(document, tmp_path):
    """What TypeScript says of a document as a Course of schema.org."""
    file = tmp_path / "linked.ts"
    package = WEB / "node_modules" / "schema-dts" / "dist" / "schema"
    file.write_text(
        f'import type {{ Course, WithContext }} from "{package}";\n'
        f"export const page: WithContext<Course> = {json.dumps(document, indent=1)};\n"
    )
    done = subprocess.run(
        ["node", WEB / "node_modules" / "typescript" / "bin" / "tsc", "--noEmit", "--strict", "--skipLibCheck", "--module",
         "nodenext", "--moduleResolution", "nodenext", "--target", "es2022", str(file)],
        capture_output=True, text=True, cwd=tmp_path, check=False,
    )  # fmt: skip
    return [line for line in done.stdout.splitlines() if "error" in line]


def document_of(stranger, run):
    page = stranger.get(f"/catalog/{run['course']['id']}-x", follow_redirects=True)
    return json.loads(re.findall(r'<script type="application/ld\+json">(.*?)</script>', page.text, re.S)[0])


def test_the_linked_data_of_a_course_is_schema_orgs(office, stranger, tmp_path):
    run = public_run(office, instructor="A. Linked")
    published(office, run["course"], level="beginners", tags=["stone"], subtitle="x")
    document = document_of(stranger, run)
    assert {
        "provider",
        "hasCourseInstance",
        "offers",
        "keywords",
        "educationalLevel",
        "inLanguage",
    } <= document.keys()
    assert compiled(document, tmp_path) == []


@pytest.mark.parametrize(
    ("at", "value"),
    [
        ("nmae", "x"),
        ("courseCode", 5),
        ("hasCourseInstance", "nope"),
        ("offers", [{"@type": "Offer", "prize": "1"}]),
    ],
)
def test_what_schema_org_does_not_know_is_found(office, stranger, tmp_path, at, value):
    """The check itself can fail: each of these is refused by the same compiler."""
    document = document_of(stranger, public_run(office))
    assert any(
        "TS2322" in e or "TS2353" in e or "TS2561" in e for e in compiled({**document, at: value}, tmp_path)
    )
