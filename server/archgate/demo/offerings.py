"""What the made-up center offers: courses, places, instructors, plans, and the runs of a season, in days from today."""

from __future__ import annotations

from dataclasses import dataclass, field

from archgate.documents.reader import Document

COURSES = (
    (
        "DSW",
        "A boundary wall in eight evenings",
        "Lay a dry-stone wall that stands: footing, hearting, throughs, cope.",
    ),
    (
        "LIME",
        "Lime plaster for old walls",
        "Mix, lay and finish lime plaster in three coats on lath and on stone.",
    ),
    ("GLASS", "Leaded glass: a small panel", "Cut, lead and solder a panel of your own design."),
    ("SLATE", "Slate roofing by hand", "Dress, hole and hang slate; flashings, valleys and a mended ridge."),
    ("TIMB", "Timber framing: a garden gate", "Mark out, cut and peg the joints of a small oak frame."),
    (
        "IRON",
        "Forged ironwork: hooks and hinges",
        "Draw down, bend and punch at the forge, safely and by eye.",
    ),
    ("READ", "Reading old buildings", "Six weeks online: what walls, roofs and openings tell of their age."),
    ("DRAW", "Drawing for masons", "Set out arches, moldings and templates at your own pace."),
    (
        "CARVE",
        "Stone carving: a leaf in limestone",
        "From the block to the finished leaf, with mallet and claw.",
    ),
    ("ARCH", "An arch on centering", "Set out, cut and close a round arch, and strike the centering."),
    ("LETT", "Letter cutting in slate", "Draw, transfer and cut a short inscription by hand."),
    ("POINT", "Repointing with lime", "Rake out, match and fill joints that let an old wall breathe."),
    ("STAIN", "Painting on glass", "Trace, matt and fire a painted pane."),
    ("TOOL", "Forged tools: a mason's chisel", "Forge, harden and temper a chisel that holds its edge."),
    ("ROOF", "Leadwork for roofs", "Dress, boss and fix lead to gutters, hips and chimneys."),
    ("OAK", "Oak repairs: scarf joints", "Cut out what is rotten and scarf in new oak that carries."),
)
CATEGORIES = {
    "DSW": "Stone",
    "CARVE": "Stone",
    "DRAW": "Stone",
    "LIME": "Walls and finishes",
    "GLASS": "Glass and iron",
    "IRON": "Glass and iron",
    "SLATE": "Roofs and timber",
    "TIMB": "Roofs and timber",
    "READ": "Understanding buildings",
    "ARCH": "Stone",
    "LETT": "Stone",
    "POINT": "Walls and finishes",
    "STAIN": "Glass and iron",
    "TOOL": "Glass and iron",
    "ROOF": "Roofs and timber",
    "OAK": "Roofs and timber",
}
PLACES: tuple[Document, ...] = (
    {
        "name": "Hall 2",
        "seats": 16,
        "facts": "Ground floor, sinks, dust extraction",
        "address": "4 Quay Lane",
    },
    {"name": "Roof shed", "seats": 10, "facts": "Two practice roofs", "address": "4 Quay Lane"},
    {"name": "Glass room", "seats": 10, "facts": "Light tables, soldering bench", "address": "4 Quay Lane"},
    {"name": "Forge", "seats": 8, "facts": "Eight hearths", "address": "6 Quay Lane"},
    {
        "name": "Long barn",
        "seats": 10,
        "facts": "Framing yard under a roof",
        "address": "Upper Farm",
        "address_public": False,
    },
    {
        "name": "Quarry yard",
        "kind": "outdoors",
        "seats": 14,
        "facts": "Bring boots; a tent when it rains",
        "address": "Old Quarry Road",
    },
    {"name": "Great barn", "seats": 220, "facts": "For large events"},
    {"name": "Online room", "kind": "online", "facts": "A link for each meeting"},
)
EVENINGS = [{"weekday": d, "from": "17:00", "to": "21:30"} for d in ("MO", "TU", "WE", "TH")]
TEACHERS: tuple[Document, ...] = (
    {"name": "I. Marchetti", "email": "i.marchetti@example.org", "phone": "555-0171", "employment": "employed",
     "pay": {"kind": "per_hour", "amount": "42.00"}, "most_hours": "24",
     "biography": "Has laid walls along the coast for thirty years, and taught it for twelve."},
    {"name": "A. Sorensen", "email": "a.sorensen@refused.example.org", "phone": "555-0172", "hours": EVENINGS,
     "employment": "freelance", "pay": {"kind": "per_meeting", "amount": "96.00"}},
    {"name": "H. Dunmore", "email": "h.dunmore@example.org", "phone": "555-0173", "employment": "outside",
     "pay": {"kind": "share_percent", "percent": "45"}},
    {"name": "M. Oyelaran", "email": "m.oyelaran@example.org", "phone": "555-0174", "employment": "freelance",
     "pay": {"kind": "per_head", "amount": "58.00"}},
    {"name": "P. Hallam", "email": "p.hallam@example.org", "phone": "555-0175", "employment": "outside",
     "pay": {"kind": "share_percent", "percent": "40"}},
    {"name": "C. Abernathy", "email": "c.abernathy@example.org", "phone": "555-0176", "employment": "freelance",
     "pay": {"kind": "flat", "amount": "640.00"}},
    {"name": "K. Adebayo", "email": "k.adebayo@example.org", "phone": "555-0177", "employment": "freelance",
     "pay": {"kind": "per_hour", "amount": "38.00"}, "most_hours": "16"},
    {"name": "S. Whitlock", "email": "s.whitlock@example.org", "phone": "555-0178", "employment": "employed",
     "pay": {"kind": "per_hour", "amount": "31.50"}, "most_hours": "18"},
    {"name": "R. Castellan", "email": "r.castellan@example.org", "phone": "555-0179", "employment": "freelance",
     "pay": {"kind": "per_meeting", "amount": "110.00"}},
    {"name": "N. Fairburn", "email": "n.fairburn@example.org", "phone": "555-0180", "employment": "outside",
     "hours": [{"weekday": d, "from": "08:00", "to": "18:00"} for d in ("FR", "SA", "SU")],
     "pay": {"kind": "per_head", "amount": "22.00"}},
    {"name": "T. Okafor", "email": "t.okafor@example.org", "phone": "555-0181", "employment": "outside"},
)  # fmt: skip
# What each can teach: courses by their code, all of a category by its name; with a plus they assist.
CAN_TEACH: dict[str, tuple[str, ...]] = {
    "I. Marchetti": ("Stone", "Walls and finishes"),
    "A. Sorensen": ("SLATE",),
    "H. Dunmore": ("Glass and iron",),
    "M. Oyelaran": ("GLASS", "STAIN", "+DRAW"),
    "P. Hallam": ("Roofs and timber", "LIME", "CARVE"),
    "C. Abernathy": ("Understanding buildings", "DRAW", "LIME"),
    "K. Adebayo": ("Stone", "GLASS"),
    "S. Whitlock": ("+Stone", "+Walls and finishes", "GLASS"),
    "R. Castellan": ("SLATE", "ROOF", "Glass and iron"),
    "N. Fairburn": ("GLASS", "TIMB", "OAK"),
}

HALVES: Document = {
    "name": "Half now, half in 30 days",
    "lines": [
        {"percent": "50", "due": {"after_sign_up": 0}},
        {"percent": "50", "due": {"after_sign_up": 30}},
    ],
}
DEPOSIT: Document = {
    "name": "Deposit of 40, the rest on the first day",
    "lines": [
        {"amount": "40.00", "due": {"after_sign_up": 0}, "settle": "online"},
        {"rest": True, "due": {"after_start": 0}},
    ],
}
MONTHLY: Document = {
    "name": "Three equal parts by the month, from the start",
    "lines": [{"parts": 1, "due": {"months_after_start": k}} for k in range(3)],
}
NOW: Document = {"name": "All now", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}


def rates(fee: str, early: str, days: int, member: str = "", concession: str = "") -> list[Document]:
    """A standard rate with one early-bird step, and the others that a run has."""
    rates_of_run: list[Document] = [
        {"label": "Standard", "amount": fee, "early": [{"days_before": days, "amount": early}]}
    ]
    if member:
        early_member = [{"days_before": days, "percent": "5"}]
        rates_of_run.append({"label": "Member", "amount": member, "early": early_member, "tags": ["member"]})
    if concession:
        rates_of_run.append({"label": "Concession", "amount": concession, "tags": ["concession"], "most": 6})
    return rates_of_run


# What the center sells beside the seat, how much of it there is, and what runs start from.
HANDBOOK = {"label": "Handbook", "amount": "31.50", "most": 2, "item": "Handbook of dry-stone walling"}
TOOLS = {"label": "Tool set", "amount": "64.00", "item": "Hammer and chisel set"}
GLASS_PACK = {"label": "Glass pack", "amount": "24.00", "required": True}
STOCK = (("Handbook of dry-stone walling", 24), ("Hammer and chisel set", 5))
DEFAULTS = {
    "told": ["learner"],
    "taxes": [{"name": "State sales tax", "percent": "6", "included": False, "on": ["handbook", "tool-set"]}],
    "group": [{"from": 4, "percent": "5"}],
    "quote_days": 14,
    "refunds": {
        "steps": [{"days_before": 21, "percent": "100"}, {"days_before": 7, "percent": "50"}],
        "kept_fee": "15.00",
        "transfer_fee": "15.00",
    },
}
CENTER_PLANS: tuple[Document, ...] = (
    {"name": "Within 30 days of invoice", "note": "For organizations that pay by purchase order.",
     "lines": [{"percent": "100", "due": {"after_sign_up": 30}}]},
    {"name": "Nothing now, all on the first day", "details": True,
     "lines": [{"percent": "100", "due": {"after_start": 0}, "settle": "online"}]},
)  # fmt: skip


@dataclass(frozen=True)
class PlannedRun:
    """A run of the script: days count from today; `fill` is how many people sign up before today."""

    course: str
    made: int
    first: int
    weekday: str
    start: str
    minutes: int
    count: int
    capacity: int
    smallest: int
    place: str
    instructor: str
    rates: list[Document]
    plans: tuple[Document, ...]
    fill: int
    title: str = ""
    opens: int | None = None
    published: bool = True
    waits: int = 0
    note: str = ""
    sale: tuple[int, int, str] | None = None
    weeks_long: int = 0
    cancelled: tuple[int, str] | None = None  # so many days before today, and why
    more: Document = field(default_factory=dict)
    shown: Document = field(
        default_factory=dict
    )  # who finds it and who signs up, where that is not everybody


STORIES = (
    # Ended.
    PlannedRun("LIME", -73, -58, "SA", "09:30", 360, 3, 10, 5, "Hall 2", "I. Marchetti",
               rates("310.00", "280.00", 14), (DEPOSIT,), 8),
    # Running and full.
    PlannedRun("DSW", -70, -24, "TU", "17:30", 150, 8, 12, 6, "Quarry yard", "I. Marchetti",
               rates("236.00", "212.00", 14, "215.00"), (HALVES, NOW), 12),
    PlannedRun("SLATE", -68, -12, "MO", "18:00", 120, 6, 10, 5, "Roof shed", "A. Sorensen",
               rates("248.00", "224.00", 14), (HALVES,), 7),
    # Sign-up closed: it starts this evening.
    PlannedRun("IRON", -60, 0, "", "18:00", 180, 5, 8, 4, "Forge", "H. Dunmore",
               rates("320.00", "290.00", 21), (DEPOSIT, NOW), 8),
    # Open, under its smallest number.
    PlannedRun("GLASS", -50, 6, "SA", "10:00", 300, 4, 10, 6, "Glass room", "M. Oyelaran",
               rates("264.00", "238.00", 14, "240.00"), (DEPOSIT, HALVES), 4, more={"extras": [GLASS_PACK]}),
    # Open, going well, with a party.
    PlannedRun("DSW", -45, 23, "TH", "17:30", 150, 8, 14, 6, "Quarry yard", "I. Marchetti; S. Whitlock (assistant)",
               rates("236.00", "212.00", 11, "215.00", "160.00"), (HALVES, MONTHLY), 9,
               note="The flyer says Hall 2. It meets in the quarry yard.", more={"extras": [HANDBOOK, TOOLS]}),
    # Full, with people in line.
    PlannedRun("TIMB", -40, 16, "SA", "09:00", 360, 4, 8, 5, "Long barn", "P. Hallam",
               rates("342.00", "310.00", 14, "318.00"), (HALVES, DEPOSIT), 8, waits=5),
    # A large one, filled by a client's list.
    PlannedRun("LIME", -20, 60, "SU", "09:30", 360, 3, 200, 40, "Great barn", "P. Hallam",
               rates("298.00", "268.00", 21, "270.00", "199.00"), (HALVES, MONTHLY), 14,
               title="Lime plaster: the open weekend school"),
    # Announced: sign-up opens in ten days.
    PlannedRun("SLATE", -12, 66, "MO", "18:00", 120, 6, 10, 5, "Roof shed", "A. Sorensen",
               rates("248.00", "224.00", 14), (HALVES,), 0, opens=10, title="Slate roofing, spring"),
    PlannedRun("IRON", -9, 40, "WE", "18:00", 180, 5, 8, 4, "Forge", "H. Dunmore",
               rates("320.00", "290.00", 21), (DEPOSIT, NOW), 3, title="Forged ironwork, winter",
               sale=(-2, 5, "275.00")),
    # Drafts: one ready but for its instructor, one that nobody could sign up for any more.
    PlannedRun("GLASS", -6, 75, "WE", "18:00", 120, 6, 8, 5, "Glass room", "",
               rates("276.00", "248.00", 14), (HALVES,), 0, title="Leaded glass: winter evenings", published=False),
    # A cohort online, an open run, a run for one client, and one that meets where others do.
    PlannedRun("READ", -30, 20, "WE", "19:00", 90, 6, 24, 8, "Online room", "C. Abernathy",
               rates("180.00", "160.00", 14), (HALVES,), 9,
               weeks_long=6, more={"kind": "cohort", "access_days": 60, "decision_rule": {"days_before": 10},
                     "week_names": ["Walls", "Roofs", "Openings", "Floors", "Changes", "Your own building"]}),
    PlannedRun("DRAW", -28, 0, "", "09:00", 60, 1, 100, 0, "", "C. Abernathy",
               [{"label": "Standard", "amount": "75.00"}], (NOW,), 6, more={"kind": "open", "access_days": 90}),
    PlannedRun("CARVE", -26, 9, "MO", "17:30", 150, 6, 12, 6, "Quarry yard", "I. Marchetti",
               rates("254.00", "228.00", 14), (HALVES,), 5, more={"decision_rule": {"days_before": 7}}),
    PlannedRun("CARVE", -8, 25, "TH", "18:00", 150, 6, 16, 6, "Quarry yard", "P. Hallam",
               rates("254.00", "228.00", 14), (HALVES,), 2, title="Stone carving, second group",
               more={"decision_rule": {"days_before": 14}}),
    PlannedRun("LIME", -14, 34, "FR", "09:30", 360, 2, 12, 0, "Hall 2", "C. Abernathy",
               [{"label": "Client", "amount": "260.00"}], (NOW,), 0, title="Lime plaster for Northgate Trust"),
    PlannedRun("TIMB", -5, -1, "FR", "18:30", 120, 3, 8, 4, "", "P. Hallam",
               rates("90.00", "80.00", 3), (NOW,), 0, title="Timber framing: three evenings", published=False),
)  # fmt: skip


def evening(
    course: str, made: int, first: int, when: str, count: int, room: str, seats: tuple[int, int], teacher: str,
    fee: tuple[str, str], fill: int, title: str = "", opens: int | None = None, published: bool = True,
    cancelled: tuple[int, str] | None = None, shown: Document | None = None,
) -> PlannedRun:  # fmt: skip
    """A run like most: "TU 18:00 150" is Tuesdays at six for two hours and a half."""
    weekday, start, minutes = when.split()
    return PlannedRun(
        course, made, first, weekday, start, int(minutes), count, *seats, room, teacher, rates(*fee, 14),
        (HALVES, NOW), fill, title, opens, published, cancelled=cancelled, shown=shown or {},
    )  # fmt: skip


RUNS: tuple[PlannedRun, ...] = (
    *STORIES,
    # Ended.
    evening("ARCH", -74, -64, "SU 10:00 240", 4, "Quarry yard", (10, 5), "K. Adebayo", ("290.00", "262.00"), 7),
    evening("POINT", -74, -66, "WE 18:00 150", 4, "Hall 2", (12, 5), "P. Hallam", ("180.00", "162.00"), 9),
    evening("GLASS", -73, -62, "TU 18:00 150", 5, "Glass room", (10, 5), "M. Oyelaran", ("264.00", "238.00"), 8),
    evening("OAK", -74, -63, "SU 09:00 300", 3, "Long barn", (8, 4), "N. Fairburn", ("330.00", "298.00"), 5),
    evening("LETT", -70, -58, "TU 18:00 120", 5, "Hall 2", (10, 4), "K. Adebayo", ("196.00", "176.00"), 6),
    evening("READ", -72, -61, "TH 19:00 90", 5, "Online room", (24, 8), "C. Abernathy", ("150.00", "132.00"), 10,
            title="Reading old buildings: five evenings"),
    # Running.
    evening("LETT", -55, -16, "WE 18:00 120", 5, "Hall 2", (10, 4), "K. Adebayo", ("196.00", "176.00"), 8),
    evening("ROOF", -56, -20, "TU 18:00 150", 6, "Roof shed", (10, 4), "R. Castellan", ("258.00", "232.00"), 7),
    evening("STAIN", -54, -14, "MO 18:00 150", 6, "Glass room", (8, 4), "M. Oyelaran", ("272.00", "246.00"), 8),
    evening("TOOL", -52, -10, "TU 18:30 150", 5, "Forge", (8, 4), "H. Dunmore", ("310.00", "282.00"), 6),
    evening("OAK", -50, -9, "SU 09:00 300", 4, "Long barn", (8, 4), "N. Fairburn", ("330.00", "298.00"), 6),
    evening("POINT", -48, -8, "MO 18:30 150", 5, "Hall 2", (12, 5), "P. Hallam", ("180.00", "162.00"), 10),
    # Open.
    evening("ARCH", -40, 12, "SU 10:00 240", 4, "Quarry yard", (10, 5), "K. Adebayo", ("290.00", "262.00"), 6),
    evening("LETT", -36, 30, "WE 18:00 120", 6, "Hall 2", (10, 4), "K. Adebayo", ("196.00", "176.00"), 4),
    evening("STAIN", -34, 33, "MO 18:00 150", 6, "Glass room", (8, 4), "M. Oyelaran", ("272.00", "246.00"), 5,
            shown={"found_by": "account"}),
    evening("ROOF", -32, 27, "TU 18:00 150", 6, "Roof shed", (10, 4), "R. Castellan", ("258.00", "232.00"), 5,
            shown={"signs_up": "request"}),
    evening("TOOL", -30, 29, "TU 18:30 150", 5, "Forge", (8, 4), "H. Dunmore", ("310.00", "282.00"), 3,
            shown={"signs_up": "code"}),
    evening("POINT", -28, 31, "MO 18:30 150", 5, "Hall 2", (12, 5), "P. Hallam", ("180.00", "162.00"), 6,
            shown={"signs_up": "staff"}),
    evening("OAK", -26, 24, "SU 09:00 300", 4, "Long barn", (8, 4), "N. Fairburn", ("330.00", "298.00"), 8),
    evening("GLASS", -24, 19, "TU 18:00 150", 5, "Glass room", (10, 5), "S. Whitlock", ("264.00", "238.00"), 3),
    evening("LIME", -22, 21, "TH 17:30 150", 6, "Hall 2", (12, 5), "C. Abernathy", ("298.00", "268.00"), 7),
    evening("READ", -21, 26, "TU 19:00 90", 6, "Online room", (24, 8), "C. Abernathy", ("150.00", "132.00"), 7,
            title="Reading old buildings: six evenings"),
    evening("DSW", -18, 37, "WE 17:30 150", 8, "Quarry yard", (14, 6), "I. Marchetti", ("236.00", "212.00"), 5),
    # Cancelled: too few, and no teacher.
    evening("CARVE", -46, 4, "SU 14:30 180", 4, "Quarry yard", (12, 6), "P. Hallam", ("254.00", "228.00"), 3,
            cancelled=(5, "Too few signed up.")),
    evening("SLATE", -44, 14, "SA 09:00 300", 3, "Roof shed", (10, 5), "R. Castellan", ("248.00", "224.00"), 2,
            cancelled=(4, "The instructor is ill.")),
    # Announced, and a draft.
    evening("ARCH", -10, 72, "SU 10:00 240", 4, "Quarry yard", (10, 5), "K. Adebayo", ("290.00", "262.00"), 0,
            title="An arch on centering, spring", opens=14),
    evening("STAIN", -7, 80, "MO 18:00 150", 6, "Glass room", (8, 4), "M. Oyelaran", ("272.00", "246.00"), 0,
            title="Painting on glass, spring", opens=21),
    evening("LETT", -3, 85, "WE 18:00 120", 6, "Hall 2", (10, 4), "K. Adebayo", ("196.00", "176.00"), 0,
            title="Letter cutting, spring", published=False),
)  # fmt: skip
