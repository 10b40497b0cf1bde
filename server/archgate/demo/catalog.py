"""What the made-up center's public pages say: texts and drawn pictures of its courses, the tree they are sorted in, and runs that
only some people find."""

from __future__ import annotations

from pathlib import Path

from archgate.actions.courses import categories, courses, files, texts
from archgate.actions.courses.commands import CategoryCommand, CoursePatch, TextPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import publication
from archgate.actions.runs.commands import PublicationPatch
from archgate.demo.center import Center
from archgate.demo.offerings import CATEGORIES, COURSES
from archgate.documents.reader import Document
from archgate.papers.pictures import sizes_read

PICTURES = Path(__file__).parent / "pictures"
ABOVE = {"Stone": "Masonry", "Walls and finishes": "Masonry"}
EMPTY = "Gardens"  # a category that only staff see
# Subtitle, what the picture shows, level, tags, description, highlights.
TEXTS: dict[str, tuple[str, str, str, tuple[str, ...], str, tuple[str, ...]]] = {
    "DSW": ("From the footing to the cope", "A dry-stone wall of five courses with a cope of upright stones", "beginners",
        ("outdoors", "evenings"),
        "You build **six yards of wall** together, and take it down to see what held.\n\n- striking a line and digging the footing\n- sorting stone by eye\n- hearting, throughs and batter\n- setting the cope\n\nWe work in any weather; there is a tent.",
        ("Every tool is there", "Six people to an instructor", "A wall that stands when you leave")),
    "LIME": ("Three coats on lath and stone", "Lath with a scratch coat and a finish coat of lime, and a float", "some experience",
        ("indoors", "walls"),
        "Lime moves with an old wall where cement cracks it. You mix, throw, float and polish, and learn to **wait**.\n\n1. scratch coat\n2. floating coat\n3. finish",
        ("Hot and putty lime side by side", "A sample board to take home")),
    "GLASS": ("Your own design, cut and soldered", "A panel of leaded diamonds with a leaf in a roundel", "beginners",
        ("indoors", "glass"), "Draw a panel at full size, cut its glass, lead it up and solder it in one weekend.",
        ("Glass and lead for one panel", "Small groups")),
    "SLATE": ("Dressing, hanging, mending", "Rows of blue and gray slates", "some experience", ("outdoors", "roofs"),
        "On two practice roofs at the height of a table you dress, hole and hang slate, then mend a valley and a ridge.",
        ("No ladders before the third day",)),
    "TIMB": ("A gate in green oak", "A framed oak gate with braces and pegs", "beginners", ("outdoors", "timber"),
        "Mark out, cut and peg the joints of a gate that you can take home. *Bring a car that takes six feet.*",
        ("Green oak included",)),
    "IRON": ("At the forge by eye", "A forged hinge, a hook and a small fire", "everybody", ("indoors", "iron"),
        "Draw down, upset, bend and punch. By the evening you have a pair of hooks; by the second day a hinge.",
        ("Eight hearths for eight people",)),
    "READ": ("Six weeks online", "The front of an old house with its measures", "everybody", ("online", "evenings"),
        "What walls, roofs and openings tell of their age. A lecture and a house to read each week.\n\n| Week | We read |\n|---|---|\n| 1 | Walls |\n| 2 | Openings |\n| 3 | Roofs |\n| 4 | Floors and stairs |\n| 5 | Repairs |\n| 6 | Your own house |",
        ("From anywhere", "Recordings for two months")),
    "DRAW": ("At your own pace", "An arch set out with compasses on squared paper", "everybody", ("online",),
        "Set out arches, moldings and templates with compasses and rule. Start on any day.", ("Sixteen sheets to print",)),
    "CARVE": ("From the block to the leaf", "A leaf carved in a block of limestone", "some experience", ("indoors", "stone"),
        "Mallet and claw, then the chisel: a leaf in limestone, from the drawing to the finish.", ("Stone and tools to use",)),
    "ARCH": ("Built, closed and struck", "A stone arch on its wooden centering", "experienced", ("outdoors", "stone"),
        "Set out the voussoirs, cut them, build on the centering, close the ring - and take the wood away.", ("You stand on it",)),
    "LETT": ("A short inscription", "The words stone and hand cut in slate", "beginners", ("indoors", "stone"),
        "Draw letters, transfer them and cut them by hand in slate.", ("A piece of slate to keep",)),
    "POINT": ("Joints that breathe", "Old red bricks with joints of lime", "beginners", ("outdoors", "walls"),
        "Rake out, match the mortar and fill.", ("Bring a picture of your own wall",)),
    "STAIN": ("Traced, matted, fired", "A painted bird in a round window", "some experience", ("indoors", "glass"),
        "Trace, matt and fire a painted pane.", ("Two firings",)),
    "TOOL": ("Forge, harden, temper", "Three chisels as they come from the forge", "experienced", ("indoors", "iron"),
        "Forge a mason's chisel that holds its edge.", ("You leave with a chisel",)),
    "ROOF": ("Gutters, hips, chimneys", "A lead roof with rolls", "experienced", ("outdoors", "roofs"),
        "Dress, boss and fix lead.", ("Masks and blood tests are taken care of",)),
    "OAK": ("Scarf joints that carry", "Two oak beams joined by a scarf", "some experience", ("indoors", "timber"),
        "Cut out what is rotten and scarf in new oak.", ("Loaded until it breaks, to see where",)),
}  # fmt: skip
NEEDED = "Stout shoes, clothes that may get dirty. We have gloves and goggles."
ASKED: tuple[Document, ...] = (
    {"question": "Can I come if I have never done this?", "answer": "Unless it says otherwise above: yes."},
    {
        "question": "What if I have to miss a day?",
        "answer": "Call us. Often there is another run a few weeks later.",
    },
)
FIRST = ("DSW", "LIME")  # courses that come first in the list
HIDING = {"DRAW": ["seats"], "READ": ["place"]}
TERMS = (
    "You may withdraw by the refund policy that is shown with each course.\n\nThe center may move a date when the weather or"
    " an instructor's health asks for it; you then choose another date or have your money back."
)


def plant(center: Center) -> None:
    """The tree: what stands below what, and one category that is still empty."""
    for name in dict.fromkeys([*ABOVE.values(), *CATEGORIES.values(), EMPTY]):
        if name in ABOVE:
            above = center.act(8.9, categories.named, ABOVE[name])
            center.act(8.9, categories.make, command_of(CategoryCommand, {"name": name, "parent_id": above}))
        else:
            center.act(8.9, categories.make, command_of(CategoryCommand, {"name": name}))


def put_up(center: Center, code: str, course_id: int) -> None:
    """A new course: filed, with its picture and its text, published."""
    filed = {"seen": {}, "set": {"named": CATEGORIES[code], "promoted": code in FIRST}}
    center.act(9.7, courses.change_course, course_id, command_of(CoursePatch, filed))
    subtitle, alt, level, tags, description, highlights = TEXTS[code]
    made = sizes_read((PICTURES / f"{code.lower()}.png").read_bytes())
    picture = center.act(9.72, files.add_picture, course_id, made)
    words: Document = {
        "subtitle": subtitle, "level": level, "tags": list(tags), "description": description,
        "summary": next(s for c, _, s in COURSES if c == code), "highlights": list(highlights),
        "requirements": "" if code in ("READ", "DRAW") else NEEDED, "asked": list(ASKED),
        "picture": {"key": picture.key, "alt": alt}, "hidden": HIDING.get(code, []),
    }  # fmt: skip
    center.act(9.75, texts.write, course_id, command_of(TextPatch, {"set": words}))
    center.act(9.8, texts.publish, course_id)


def show(center: Center, run_id: int, **how: object) -> None:
    """Say who finds a run and who signs up for it."""
    center.act(10, publication.change_publication, run_id, command_of(PublicationPatch, {"set": how}))
