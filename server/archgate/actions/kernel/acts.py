"""What people do, by its word: each act with what it is about, and how it is undone, or why it is not.

The word is what the log keeps, and what undo knows an act by. Words that are kept already do not change.
"""

from __future__ import annotations

from enum import Enum, StrEnum


class Subject(StrEnum):
    """What an act is about: whose log it stands in."""

    RUN = "run"
    SEASON = "season"
    CENTER = "center"
    PLACE = "place"
    INSTRUCTOR = "instructor"
    APPLICATION = "application"
    COURSE = "course"
    CODE = "code"
    PLAN = "plan"
    QUOTE = "quote"
    STOCK = "stock"
    PERSON = "person"
    ORGANIZATION = "organization"
    ENROLLMENT = "enrollment"
    WAITING = "waiting"
    HELD_PLACES = "held places"
    SET_ASIDE = "set aside"
    INTEREST = "interest"
    MEETING = "meeting"
    BATCH = "batch"
    SENTENCE = "sentence"
    ACCOUNT = "account"
    PAYMENT = "payment"
    INVOICE = "invoice"
    REMINDER = "reminder"
    WEBHOOK = "webhook"
    JOB = "job"
    USER = "user"
    ROLE = "role"


class Undo(Enum):
    """How an act is undone."""

    RUN = "the fields of its run are put back, under the run's lock, and its gates are worked out anew"
    ROWS = "every row is put back as it was"
    OWN = "by a reversal of its own"
    SOON = "by a reversal of its own, for half an hour, since others go by it"


class Act(StrEnum):
    """An act, its subject, and its undo or the reason why it has none: what to do instead, said to whoever asks."""

    subject: Subject
    undo: Undo | str

    def __new__(cls, word: str, subject: Subject, undo: Undo | str) -> Act:
        made = str.__new__(cls, word)
        made._value_ = word
        made.subject, made.undo = subject, undo
        return made

    ACCEPT_A_CLASH = "accept a clash", Subject.RUN, Undo.ROWS
    ADD_A_PATTERN = "add a pattern", Subject.RUN, Undo.RUN
    CHANGE_A_PATTERN = "change a pattern", Subject.RUN, Undo.RUN
    END_A_PATTERN = "end a pattern", Subject.RUN, Undo.RUN
    CHANGE_THE_KIND = "change the kind", Subject.RUN, Undo.RUN
    TAKE_OFF_A_FILE = "take off a file", Subject.RUN, Undo.OWN
    ADD_A_MEETING = "add a meeting", Subject.RUN, Undo.RUN
    ARCHIVE = "archive", Subject.RUN, Undo.RUN
    ATTACH_A_FILE = "attach a file", Subject.RUN, "Take the file off its run instead."
    BRING_BACK = "bring back", Subject.RUN, Undo.RUN
    CANCEL_A_RUN = "cancel a run", Subject.RUN, Undo.SOON
    CARRY_INTEREST_OVER = "carry interest over", Subject.RUN, Undo.ROWS
    CHANGE_A_MEETING = "change a meeting", Subject.RUN, "Say it the other way on the call list."
    CHANGE_A_NOTICE = "change a notice", Subject.RUN, Undo.ROWS
    CHANGE_A_RUN = "change a run", Subject.RUN, Undo.RUN
    CHANGE_DATES = "change dates", Subject.RUN, Undo.RUN
    CHANGE_TERMS = "change terms", Subject.RUN, Undo.RUN
    DECIDE = "decide", Subject.RUN, Undo.RUN
    EXTEND_A_RUN = "extend a run", Subject.RUN, Undo.RUN
    GROUP_PEOPLE = "group people", Subject.RUN, Undo.ROWS
    KEEP_DEFAULTS = "keep defaults", Subject.RUN, Undo.RUN
    MAKE_A_RUN = "make a run", Subject.RUN, "Archive the draft instead."
    MARK_ATTENDANCE = "mark attendance", Subject.RUN, Undo.ROWS
    MOVE_A_RUN = "move a run", Subject.RUN, Undo.RUN
    NOTE_A_CALL = "note a call", Subject.RUN, "Note the call again; the newer note takes its place."
    PUBLISH = "publish", Subject.RUN, Undo.RUN
    PUT_ON_SALE = "put on sale", Subject.RUN, Undo.RUN
    READ_A_NOTICE = "read a notice", Subject.RUN, "It was read."
    TAKE_OFF_SALE = "take off sale", Subject.RUN, Undo.RUN
    TAKE_OUT_A_MEETING = "take out a meeting", Subject.RUN, Undo.RUN
    TELL_OF_OPENING = "tell of opening", Subject.RUN, "The letters went out."
    TRANSFER_MANY = "transfer many", Subject.RUN, Undo.SOON
    WITHDRAW_MANY = "withdraw many", Subject.RUN, Undo.SOON
    WRITE_TO_A_ROSTER = "write to a roster", Subject.RUN, "The letters went out."
    COPY_RUNS = "copy runs", Subject.SEASON, Undo.OWN
    PLAN_A_SEASON = "plan a season", Subject.SEASON, Undo.OWN
    CHANGE_THE_CENTER = "change the center", Subject.CENTER, Undo.ROWS
    MOVE_THE_CENTER = (
        "move the center",
        Subject.CENTER,
        "Set zone or currency back on the page of settings, as long as nothing goes by them.",
    )
    CHANGE_A_SETTING = "change a setting", Subject.CENTER, "Set it back where settings are kept."
    CHANGE_DEFAULTS = "change defaults", Subject.CENTER, Undo.ROWS
    CLOSE_DAYS = "close days", Subject.CENTER, Undo.ROWS
    MAKE_A_CALENDAR_ADDRESS = (
        "make a calendar address",
        Subject.CENTER,
        "Renew the address instead: the old one ends.",
    )
    OPEN_A_DAY = "open a day", Subject.CENTER, Undo.ROWS
    REOPEN_A_CLASH = "reopen a clash", Subject.CENTER, "Accept the clash again."
    UNDO = "undo", Subject.CENTER, "Do it again instead."
    ADD_A_PLACE = (
        "add a place",
        Subject.PLACE,
        "Take it out where places are kept, as long as nothing uses it.",
    )
    CHANGE_A_PLACE = "change a place", Subject.PLACE, "Change it back where places are kept."
    REMOVE_A_PLACE = "remove a place", Subject.PLACE, Undo.ROWS
    ADD_A_BUSY_TIME = "add a busy time", Subject.INSTRUCTOR, Undo.ROWS
    ADD_AN_INSTRUCTOR = (
        "add an instructor",
        Subject.INSTRUCTOR,
        "Take them out where instructors are kept, as long as nothing needs them.",
    )
    CHANGE_AN_INSTRUCTOR = (
        "change an instructor",
        Subject.INSTRUCTOR,
        Undo.ROWS,
    )
    MERGE_INSTRUCTORS = "merge instructors", Subject.INSTRUCTOR, Undo.ROWS
    MAKE_A_PAY_REQUEST = (
        "make a pay request",
        Subject.INSTRUCTOR,
        "A pay request stands; what changes later becomes a line of the next one.",
    )
    MARK_AS_PAID = "mark as paid", Subject.INSTRUCTOR, Undo.ROWS
    ASSIGN = "assign", Subject.RUN, Undo.RUN
    TAKE_COVER = "take cover", Subject.CENTER, Undo.OWN
    ASK_FOR_COVER = "ask for cover", Subject.CENTER, "A proposal changes nothing until it is taken."
    NOTE_A_COVER_CALL = (
        "note a cover call",
        Subject.RUN,
        "Note the call again; the newer note takes its place.",
    )
    CHANGE_PAY = "change pay", Subject.RUN, Undo.ROWS
    WRITE_AN_AGREEMENT_TEXT = (
        "write an agreement text",
        Subject.CENTER,
        "Write the text anew; every version is kept.",
    )
    MAKE_AN_AGREEMENT = "make an agreement", Subject.RUN, "Make another one; it takes the place of this."
    SEND_AN_AGREEMENT = "send an agreement", Subject.RUN, "It went out."
    SIGN_AN_AGREEMENT = "sign an agreement", Subject.RUN, Undo.ROWS
    CHANGE_EVALUATION = "change evaluation questions", Subject.CENTER, Undo.ROWS
    ASK_FOR_EVALUATIONS = "ask for evaluations", Subject.RUN, "The letters went out."
    CHANGE_TEACHING_RULES = "change teaching rules", Subject.CENTER, Undo.ROWS
    APPLY_TO_TEACH = "apply to teach", Subject.APPLICATION, "Decline the application instead."
    CHANGE_AN_APPLICATION = "change an application", Subject.APPLICATION, Undo.ROWS
    NOTE_ON_AN_APPLICATION = (
        "note on an application",
        Subject.APPLICATION,
        "Write another note; notes are kept.",
    )
    CHANGE_ONE_S_OWN = "change one's own", Subject.INSTRUCTOR, Undo.ROWS
    IMPORT_BUSY_TIMES = "import busy times", Subject.INSTRUCTOR, Undo.ROWS
    REMOVE_AN_INSTRUCTOR = "remove an instructor", Subject.INSTRUCTOR, Undo.ROWS
    TAKE_OUT_A_BUSY_TIME = "take out a busy time", Subject.INSTRUCTOR, Undo.ROWS
    CHANGE_A_COURSE = "change a course", Subject.COURSE, Undo.ROWS
    CHANGE_QUESTIONS = "change questions", Subject.COURSE, Undo.ROWS
    WRITE_A_COURSE_TEXT = "write a course text", Subject.COURSE, Undo.ROWS
    ADD_A_COURSE_FILE = "add a course file", Subject.COURSE, "Take it out of the text instead."
    PUBLISH_A_COURSE = "publish a course", Subject.COURSE, Undo.ROWS
    PREPARE_A_COURSE = (
        "prepare a course",
        Subject.COURSE,
        "It is the instructor's own; finish it, or return it.",
    )
    HAND_IN_A_COURSE = "hand in a course", Subject.COURSE, "Return it with a word instead."
    RETURN_A_COURSE = "return a course", Subject.COURSE, "The instructor hands it in again."
    FINISH_A_COURSE = "finish a course", Subject.COURSE, "The instructor can begin to prepare it again."
    PUBLISH_PREPARED = (
        "publish what was prepared",
        Subject.COURSE,
        "Take the course's page off, or take an earlier version up; runs go off sale one by one.",
    )
    TAKE_A_COURSE_OFF = "take a course off", Subject.COURSE, Undo.ROWS
    MARK_A_VERSION = "mark a version", Subject.COURSE, Undo.ROWS
    CHANGE_CATEGORIES = "change categories", Subject.CENTER, Undo.ROWS
    CHANGE_PUBLICATION = "change publication", Subject.RUN, Undo.RUN
    KEEP_ACCESS_CODES = "keep access codes", Subject.RUN, Undo.RUN
    ASK_FOR_A_SEAT = "ask for a seat", Subject.RUN, "It is the person's own word; decide on the request."
    DECIDE_A_REQUEST = (
        "decide a request",
        Subject.RUN,
        "They were told; enroll or withdraw them instead.",
    )
    SIGN_UP = (
        "sign up",
        Subject.ENROLLMENT,
        "It is the person's own; withdraw them instead.",
    )
    KEEP_A_SEAT = "keep a seat", Subject.RUN, "It lasts for minutes and ends by itself."
    CLEAR_INTEREST = "clear interest", Subject.COURSE, Undo.ROWS
    SEND_A_LIST_ON = "send a list on", Subject.COURSE, "It went out."
    CHANGE_CODES = "change codes", Subject.CODE, Undo.ROWS
    MAKE_CODES = "make codes", Subject.CODE, Undo.ROWS
    CHANGE_A_PLAN = "change a plan", Subject.PLAN, Undo.ROWS
    MAKE_A_PLAN = "make a plan", Subject.PLAN, Undo.ROWS
    DROP_A_QUOTE = "drop a quote", Subject.QUOTE, Undo.ROWS
    KEEP_A_QUOTE = "keep a quote", Subject.QUOTE, Undo.ROWS
    CHANGE_STOCK = "change stock", Subject.STOCK, "Stock is only added to: count it again."
    ADD_A_PERSON = (
        "add a person",
        Subject.PERSON,
        "Somebody may be enrolled under this record; merge it into the right one instead.",
    )
    CHANGE_A_PERSON = "change a person", Subject.PERSON, Undo.ROWS
    CLOSE_AN_OWN_PAGE = "close an own page", Subject.PERSON, "Invite them again."
    INVITE = "invite", Subject.PERSON, Undo.ROWS
    MERGE_PEOPLE = "merge people", Subject.PERSON, Undo.SOON
    NEW_LINK = "new link", Subject.PERSON, "The link was sent to the person; it runs out by itself."
    NOTE = "note", Subject.PERSON, "A note is signed and never edited."
    SET_A_PASSWORD = "set a password", Subject.PERSON, "It is the person's own."
    TAG_A_PERSON = "tag a person", Subject.PERSON, Undo.ROWS
    ADD_AN_ORGANIZATION = "add an organization", Subject.ORGANIZATION, "Somebody may pay by this name by now."
    CHANGE_AN_ORGANIZATION = "change an organization", Subject.ORGANIZATION, Undo.ROWS
    A_HELD_SEAT_LAPSES = (
        "a held seat lapses",
        Subject.ENROLLMENT,
        "The seat went back when its time was over; enroll them anew.",
    )
    ADD_A_HEAD = "add a head", Subject.ENROLLMENT, Undo.SOON
    WITHDRAW_A_HEAD = "withdraw a head", Subject.ENROLLMENT, Undo.SOON
    BECOME_A_LEARNER = "become a learner", Subject.ENROLLMENT, Undo.SOON
    NO_LONGER_A_LEARNER = "no longer a learner", Subject.ENROLLMENT, Undo.SOON
    ADD_TO_A_ROSTER = "add to a roster", Subject.ENROLLMENT, Undo.ROWS
    CHANGE_A_ROLE = "change a role", Subject.ENROLLMENT, Undo.ROWS
    CHANGE_A_SIGN_UP = "change a sign-up", Subject.ENROLLMENT, Undo.SOON
    ENROLL = "enroll", Subject.ENROLLMENT, Undo.SOON
    NAME_A_HEAD = "name a head", Subject.ENROLLMENT, Undo.SOON
    SWAP_A_PERSON = "swap a person", Subject.ENROLLMENT, Undo.ROWS
    TAKE_OFF_A_ROSTER = "take off a roster", Subject.ENROLLMENT, Undo.ROWS
    TRANSFER = "transfer", Subject.ENROLLMENT, Undo.SOON
    WITHDRAW = "withdraw", Subject.ENROLLMENT, Undo.SOON
    ASK_FOR_TIME = "ask for time", Subject.WAITING, "It is the person's own word."
    GIVE_MORE_TIME = "give more time", Subject.WAITING, "The person was told; an offer ends by itself."
    LEAVE_THE_LINE = "leave the line", Subject.WAITING, Undo.SOON
    OFFER_A_SEAT = "offer a seat", Subject.WAITING, Undo.SOON
    OFFER_DECLINED = "offer declined", Subject.WAITING, "It is the person's own word; offer a seat again."
    OFFER_LAPSED = "offer lapsed", Subject.WAITING, "The seat went to the next in line; offer one again."
    TAKE_AN_OFFER_BACK = "take an offer back", Subject.WAITING, "Offer the seat again; they were told."
    SEAT_FROM_THE_LINE = "seat from the line", Subject.WAITING, Undo.SOON
    TAKE_AN_OFFER = (
        "take an offer",
        Subject.WAITING,
        "It is the person's own; they are withdrawn like anybody else.",
    )
    WAIT = "wait", Subject.WAITING, Undo.SOON
    CLEAR_THE_LINE = "clear the line", Subject.RUN, Undo.SOON
    CARRY_THE_LINE_OVER = "carry the line over", Subject.RUN, Undo.SOON
    SEND_THE_LINE_ON = "send the line on", Subject.RUN, "It went out."
    CHANGE_HELD_PLACES = "change held places", Subject.HELD_PLACES, Undo.SOON
    HELD_PLACES_LAPSE = (
        "held places lapse",
        Subject.HELD_PLACES,
        "Hold the places anew, if they are still free.",
    )
    HOLD_PLACES = "hold places", Subject.HELD_PLACES, Undo.SOON
    SET_SEATS_ASIDE = "set seats aside", Subject.SET_ASIDE, Undo.SOON
    SHOW_INTEREST = "show interest", Subject.INTEREST, Undo.ROWS
    GIVE_BACK_A_MEETING = "give back a meeting", Subject.MEETING, Undo.SOON
    CHANGE_A_LIST = "change a list", Subject.BATCH, "Read the list as it was again."
    CORRECT_A_LINE = "correct a line", Subject.BATCH, "An empty correction takes the corrections back."
    DECIDE_ON_LINES = "decide on lines", Subject.BATCH, "Decide otherwise, or take the lines as in the list."
    ENROLL_A_LIST = "enroll a list", Subject.BATCH, Undo.SOON
    ENROLL_LINES = "enroll lines", Subject.BATCH, "Take the lines back on the page of the list."
    JUDGE_A_LIST = "judge a list", Subject.BATCH, "Nothing but verdicts was written."
    RESUME_A_LIST = "resume a list", Subject.BATCH, "Stop the list, or take it back on its page."
    STOP_A_LIST = "stop a list", Subject.BATCH, "Go on with the list on its page."
    TAKE_BACK_A_LIST = "take back a list", Subject.BATCH, "Read the list again and enroll it anew."
    TAKE_BACK_LINES = "take back lines", Subject.BATCH, "Read the list again and enroll it anew."
    READ_A_LIST = "read a list", Subject.BATCH, "Nobody is enrolled by reading a list; leave it."
    CARRY_OUT_A_SENTENCE = (
        "carry out a sentence",
        Subject.SENTENCE,
        "Withdraw whom it enrolled; each sign-up shows the sentence it came by.",
    )
    CHANGE_A_SENTENCE = "change a sentence", Subject.SENTENCE, Undo.ROWS
    END_A_SENTENCE = "end a sentence", Subject.SENTENCE, "Write the sentence anew."
    MAKE_A_SENTENCE = "make a sentence", Subject.SENTENCE, "End the sentence; whom it enrolled stays."
    KEEP_PAYMENT_DETAILS = (
        "keep payment details",
        Subject.ACCOUNT,
        "The payer gave them; newer ones take their place.",
    )
    REFUND = "refund", Subject.ACCOUNT, "The money went out; it comes back as a payment."
    USE_CREDIT = "use credit", Subject.ACCOUNT, "What settles what is undone by taking the payment back."
    WRITE_OFF = "write off", Subject.ACCOUNT, "What was written off is charged anew."
    TAKE_A_CARD_PAYMENT = (
        "take a card payment",
        Subject.PAYMENT,
        "The card was charged; pay it back to the card instead.",
    )
    CARD_REFUSED = "card refused", Subject.ACCOUNT, "The card's bank refused; nothing was charged."
    CARD_REFUND_REFUSED = (
        "card refund refused",
        Subject.ACCOUNT,
        "Nothing went out; the sum is credit again, and can be paid back another way.",
    )
    CHARGE_DETAILS_ON_FILE = "charge details on file", Subject.ACCOUNT, "Pay it back to the card instead."
    SEND_A_PAY_LINK = "send a pay link", Subject.ACCOUNT, "The link went out; it shows what is open."
    END_PAYMENT_DETAILS = "end payment details", Subject.ACCOUNT, "The payer can give them anew."
    REVERSE_A_PAYMENT = "reverse a payment", Subject.PAYMENT, "Take the payment anew."
    TAKE_A_PAYMENT = "take a payment", Subject.PAYMENT, Undo.SOON
    ISSUE_A_CREDIT_NOTE = (
        "issue a credit note",
        Subject.INVOICE,
        "A credit note stands; invoice again what still holds.",
    )
    ISSUE_A_RECEIPT = (
        "issue a receipt",
        Subject.INVOICE,
        "A receipt stands for money that came in; take the payment back instead.",
    )
    ISSUE_AN_INVOICE = "issue an invoice", Subject.INVOICE, "An invoice is taken back by a credit note."
    SEND_A_PAPER = "send a paper", Subject.INVOICE, "It went out."
    REMIND = "remind", Subject.REMINDER, "Tick it off."
    SETTLE_A_REMINDER = "settle a reminder", Subject.REMINDER, "Open the reminder again."
    ADD_A_WEBHOOK = "add a webhook", Subject.WEBHOOK, "Remove the address instead."
    REMOVE_A_WEBHOOK = "remove a webhook", Subject.WEBHOOK, "Add the address anew; it gets a new secret."
    INVITE_STAFF = "invite staff", Subject.USER, "End the account on the staff page instead."
    CHANGE_STAFF = "change staff", Subject.USER, "Change it back on the staff page."
    SEND_A_PASSWORD_LINK = "send a password link", Subject.USER, "The link went out; it runs out by itself."
    SET_ONE_S_PASSWORD = "set one's password", Subject.USER, "It is their own; another can be set."
    SECOND_FACTOR = (
        "second factor",
        Subject.USER,
        "It is set up, or taken off, on one's own page of the account.",
    )
    END_SESSIONS = "end sessions", Subject.USER, "They can sign in again."
    CHANGE_A_STAFF_ROLE = "change a staff role", Subject.ROLE, "Change it back on the staff page."
    ASK_TO_CONFIRM_MONEY = (
        "ask to confirm money",
        Subject.ACCOUNT,
        "Nothing is posted yet; whoever confirms can refuse it.",
    )
    REFUSE_MONEY = "refuse money", Subject.ACCOUNT, "Ask for it again."
    RETRY_WORK = "retry work", Subject.JOB, "It is done by now, or tried again."


BY_WORD = {act.value: act for act in Act}


def act_named(word: str) -> Act:
    """The act that the log keeps by this word."""
    return BY_WORD[word]
