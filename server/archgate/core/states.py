"""Enumerations of what is stored: states of records, and closed sets of words."""

from __future__ import annotations

from enum import StrEnum


class Told(StrEnum):
    """Who hears of an enrollment."""

    LEARNER = "learner"
    PAYER = "payer"
    INSTRUCTORS = "instructors"
    OFFICE = "office"


class LineKind(StrEnum):
    """What a line of a quote is."""

    RATE = "rate"
    GROUP = "group"
    EXTRA = "extra"
    CODE = "code"
    CREDIT = "credit"  # what a meeting that fell out was worth
    KEPT = "kept"  # what the refund policy keeps of a head that left the party


class Weekday(StrEnum):
    """A day of the week, Monday first, by its two letters of RFC 5545."""

    MO = "MO"
    TU = "TU"
    WE = "WE"
    TH = "TH"
    FR = "FR"
    SA = "SA"
    SU = "SU"


class PlaceKind(StrEnum):
    ROOM = "room"
    OUTDOORS = "outdoors"
    ONLINE = "online"


class OwnerKind(StrEnum):
    """Whose absences or closed times."""

    PLACE = "place"
    INSTRUCTOR = "instructor"


class Method(StrEnum):
    """How money comes in; all but purchase orders also go back. By card it comes through the payment service only, never by hand."""

    CASH = "cash"
    CHECK = "check"
    TRANSFER = "transfer"
    PURCHASE_ORDER = "purchase order"
    CARD = "card"


class ServiceStatus(StrEnum):
    """What became of a payment at the payment service."""

    OPEN = "open"  # the payer has not paid on the page yet
    AUTHORIZED = "authorized"  # the card's bank agreed; nothing is charged yet
    CAPTURED = "captured"
    RELEASED = "released"
    REFUSED = "refused"
    EXPIRED = "expired"


class CardStatus(StrEnum):
    """Where a payment by card stands with us."""

    BEGUN = "begun"  # the service has not been heard yet
    OPEN = "open"  # the payer has its page
    CAPTURING = "capturing"
    RELEASING = "releasing"
    DONE = "done"
    REFUSED = "refused"
    RELEASED = "released"
    EXPIRED = "expired"
    UNKNOWN = "unknown"  # the service never heard of it


class PaidState(StrEnum):
    """How a payment by card stands, as whoever began it is told."""

    OPEN = "open"
    GIVEN = "given"
    REFUSED = "refused"
    OVER = "over"


class CardComes(StrEnum):
    """When the payment details of a plan that takes them come: they are on file, or may follow the sign-up; `anew`: they follow even
    where some are on file, since whoever types a name need not be that person."""

    ON_FILE = "on file"
    FOLLOWS = "follows"
    ANEW = "anew"


class WhatToPay(StrEnum):
    """What of an account is paid by card; `details`: nothing now, the card is kept for later sums."""

    NEXT = "next"
    WHOLE = "whole"
    DETAILS = "details"


class Preparing(StrEnum):
    """Where a course that an instructor prepares stands; the first three are in somebody's hand."""

    DRAFT = "draft"
    HANDED_IN = "handed in"
    RETURNED = "returned"
    PUBLISHED = "published"
    FINISHED = "finished"  # the office went on with it
    DROPPED = "dropped"


class PrepareRight(StrEnum):
    """What the center lets instructors prepare who are not employed."""

    TEXT = "prepare_text"
    PICTURES = "prepare_pictures"
    OUTLINE = "prepare_outline"
    PRICES = "prepare_prices"


class RefundStatus(StrEnum):
    """What became of a refund to a card."""

    ASKED = "asked"
    DONE = "done"
    REFUSED = "refused"


class Scope(StrEnum):
    """Which meetings a change is of."""

    THIS = "this"
    LATER = "later"
    ALL = "all"


class Role(StrEnum):
    """What somebody is on a roster."""

    LEARNER = "learner"
    ASSISTANT = "assistant"
    INSTRUCTOR = "instructor"
    OBSERVER = "observer"


class Mark(StrEnum):
    """Attendance of a meeting."""

    PRESENT = "present"
    LATE = "late"
    LEFT_EARLY = "left early"
    EXCUSED = "excused"
    ABSENT = "absent"


class SignInOutcome(StrEnum):
    """What came of an attempt of the staff to sign in."""

    SIGNED_IN = "signed in"
    WRONG_PASSWORD = "wrong password"
    WRONG_CODE = "wrong code"
    NEW_PASSWORD = "new password"


class StaffStatus(StrEnum):
    """How far somebody of the staff is: written to, at work, or no longer."""

    INVITED = "invited"
    ACTIVE = "active"
    ENDED = "ended"


class MoneyOut(StrEnum):
    """What leaves the books in a payer's favor."""

    REFUND = "refund"
    WRITE_OFF = "write off"


class WaitingMoney(StrEnum):
    """What became of a refund or write-off that needed a second person."""

    WAITS = "waits"
    CONFIRMED = "confirmed"
    REFUSED = "refused"


class LogOf(StrEnum):
    """What a log is of."""

    RUN = "run"
    PERSON = "person"
    ACCOUNT = "account"
    COURSE = "course"
    ORGANIZATION = "organization"
    CENTER = "center"


class PaperSize(StrEnum):
    LETTER = "Letter"
    A4 = "A4"


class NumberFormat(StrEnum):
    """How papers group digits and set off decimals: by the custom of a language (CLDR)."""

    ENGLISH = "en_US"  # 1,234.56
    GERMAN = "de_DE"  # 1.234,56
    FRENCH = "fr_FR"  # 1 234,56


class PaperKind(StrEnum):
    """What a roster is printed or written as."""

    CSV = "csv"
    XLSX = "xlsx"
    SIGN_IN = "sign-in"
    BADGES = "badges"
    CONTACTS = "contacts"


class Answer(StrEnum):
    """What somebody outside answers by a link."""

    TAKE = "take"
    DECLINE = "decline"
    TIME = "time"
    WAIT = "wait"


class CallOutcome(StrEnum):
    REACHED = "reached"
    LEFT_WORD = "left word"
    NO_ANSWER = "no answer"
    WRONG_NUMBER = "wrong number"


class OnClosure(StrEnum):
    """What becomes of a date of a pattern that falls on a closed day: left out, or held at the end instead."""

    SKIP = "skip"
    EXTEND = "extend"


class RunKind(StrEnum):
    """What kind of run it is."""

    DATED = "dated"  # meets on dates
    COHORT = "cohort"  # a group moves together from a start to an end
    OPEN = "open"  # no dates; access for so many days from enrollment


class RunStatus(StrEnum):
    """Where a run is in its life; stored."""

    DRAFT = "draft"
    PUBLISHED = "published"
    OFF_SALE = "off sale"
    CANCELLED = "cancelled"
    ARCHIVED = "archived"


class Decision(StrEnum):
    """Whether a run goes ahead; stored."""

    UNDECIDED = "undecided"
    GOING_AHEAD = "going ahead"
    WAITS = "waits"
    CANCELLED = "cancelled"


class SignUp(StrEnum):
    """Whether one can sign up for a run; derived at a moment."""

    NOT_YET = "not yet"
    OPEN = "open"
    FULL = "full"
    CLOSED = "closed"


class Teaching(StrEnum):
    """Where a run is in its teaching; derived at a moment."""

    BEFORE = "before"
    RUNNING = "running"
    ENDED = "ended"


class EnrollmentStatus(StrEnum):
    """What became of an enrollment. Seated and held ones hold their seat; all others have ended."""

    SEATED = "seated"
    HELD = "held"  # until the first payment
    WITHDRAWN = "withdrawn"
    NO_SHOW = "no-show"
    MOVED = "moved"
    LAPSED = "lapsed"  # the first payment did not come in time
    TAKEN_OFF = "taken off"  # of those who are no learners
    TAKEN_BACK = "taken back"
    RUN_CANCELLED = "run cancelled"
    OTHER_ROLE = "other role"  # on the roster as something else since


class LineStatus(StrEnum):
    """What became of a place in line, and of the offer made to it."""

    WAITING = "waiting"
    OFFERED = "offered"
    SEATED = "seated"
    LEFT = "left"
    DECLINED = "declined"
    LAPSED = "lapsed"
    TAKEN_BACK = "taken back"
    RUN_CANCELLED = "run cancelled"
    CLEARED = "cleared"
    CARRIED = "carried over"


class SeatGoes(StrEnum):
    """Who gets a seat that somebody gave back while others wait."""

    NEXT = "next"
    KEEP = "keep"
    CHOSEN = "chosen"


class HoldStatus(StrEnum):
    """What became of places held without names."""

    HELD = "held"
    USED = "used"
    RELEASED = "released"
    LAPSED = "lapsed"


class InterestStatus(StrEnum):
    """What became of a name on an interest list. Listed and told ones are on it; all others have left it."""

    LISTED = "listed"
    TOLD = "told"
    ENROLLED = "enrolled"
    CLEARED = "cleared"
    CARRIED = "carried"


class QuoteStatus(StrEnum):
    """What became of a kept quote; past its last day an open one has lapsed."""

    OPEN = "open"
    TAKEN = "taken"
    DROPPED = "dropped"


class BatchStatus(StrEnum):
    """Where a list is. `stopped` ones go on from where they stand; of an enrolled one rows can be taken back."""

    JUDGING = "judging"
    JUDGED = "judged"
    RUNNING = "running"
    STOPPED = "stopped"
    ENROLLED = "enrolled"
    TAKING_BACK = "taking back"
    TAKEN_BACK = "taken back"


class ListSource(StrEnum):
    """Where a list came from."""

    FILE = "file"
    PASTED = "pasted"
    PEOPLE = "people"


class Verdict(StrEnum):
    """What becomes of a line of a list when it is enrolled."""

    WILL_ENROLL = "will enroll"
    WILL_WAIT = "will wait"
    ALREADY_IN = "already in"
    UNSURE = "unsure who"
    NEEDS_FIXING = "needs fixing"
    LEFT_OUT = "left out"


class LineOutcome(StrEnum):
    """What became of a line of a list."""

    ENROLLED = "enrolled"
    WAITING = "waiting"
    ALREADY_IN = "was in already"
    NOT_ENROLLED = "not enrolled"
    TAKEN_BACK = "taken back"


class RowKind(StrEnum):
    """What it is about a line that keeps it from being enrolled; lines of one kind can be decided on together."""

    NO_EMAIL = "no email"
    NOT_KNOWN_BY = "nothing to know them by"
    BAD_EMAIL = "bad email"
    NO_NAME = "no name"
    REPEATED = "repeated"
    SAME_EMAIL = "same email, other name"
    SAME_PHONE = "same name and phone"
    OTHER_NUMBER = "number of somebody else"
    BAD_NUMBER = "bad staff number"
    NO_RATE = "unknown rate"
    BAD_PARTY = "bad party"
    NO_RUN = "unknown run"
    SHUT = "no sign-up"
    NO_PLAN = "unknown plan"
    NO_EXTRA = "unknown extra"
    NO_PAYER = "unknown payer"
    REFUSED = "terms refused"
    TOO_LARGE = "party too large"
    CELLS = "too many cells"
    TOO_LONG = "too long"


class SentenceKind(StrEnum):
    """What a sentence goes by: something that somebody becomes, or a run that somebody comes onto."""

    STANDING = "standing"
    FOLLOW_ON = "follow-on"


class RowDecision(StrEnum):
    """What is decided on lines of one kind."""

    WITHOUT_EMAIL = "enroll without email"
    AS_NEW = "add as new"
    AS_KNOWN = "take who is known"
    AS_SUGGESTED = "take what is suggested"
    USUAL = "take the usual"
    EMPTY = "leave it empty"
    LEAVE_OUT = "leave out"
    AS_IN_LIST = "as in the list"


class JobStatus(StrEnum):
    """Where queued work is: a message is a job that sends it."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    DROPPED = "dropped"


class PageStatus(StrEnum):
    """How far somebody's own page is: invited, until the link is used; open, once a password is set."""

    INVITED = "invited"
    OPEN = "open"


class FoundKind(StrEnum):
    """What the one field finds besides runs, people and courses."""

    ORGANIZATION = "organization"
    PAPER = "paper"
    PLACE = "place"
    INSTRUCTOR = "instructor"
    CODE = "code"


class Part(StrEnum):
    """What somebody does in a meeting they teach."""

    LEAD = "lead"
    ASSISTANT = "assistant"
    SUBSTITUTE = "substitute"


class Level(StrEnum):
    """What somebody can do in a course: lead it, or assist."""

    LEADS = "leads"
    ASSISTS = "assists"


class Fit(StrEnum):
    """Whether somebody is qualified; unknown where nothing is written down about them."""

    YES = "qualified"
    UNKNOWN = "not known"
    NO = "not qualified"


class Employment(StrEnum):
    """What an instructor is to the center."""

    EMPLOYED = "employed"
    FREELANCE = "freelance"
    OUTSIDE = "outside"


class PayKind(StrEnum):
    """By what an instructor is paid."""

    HOUR = "per_hour"
    MEETING = "per_meeting"
    FLAT = "flat"
    HEAD = "per_head"
    SHARE = "share_percent"


class CoverAim(StrEnum):
    """What a proposal is best at."""

    COST = "cost"
    EVEN = "even"


class CoverStatus(StrEnum):
    """How far a proposal is."""

    QUEUED = "queued"
    WORKING = "working"
    READY = "ready"
    TAKEN = "taken"
    FAILED = "failed"


class CoverAnswer(StrEnum):
    """What came of asking somebody to take a meeting."""

    ASKED = "asked"
    ACCEPTED = "accepted"
    DECLINED = "declined"


class AgreementStatus(StrEnum):
    """How far a teaching agreement is."""

    MADE = "made"
    SENT = "sent"
    SIGNED = "signed"


class QuestionKind(StrEnum):
    """How a question of an evaluation is answered: by a mark from 1 to 5, or in words."""

    MARK = "mark"
    WORDS = "words"


class ApplicationStatus(StrEnum):
    """How far an application to teach is."""

    NEW = "new"
    IN_TALK = "in talk"
    ACCEPTED = "accepted"
    DECLINED = "declined"
    BLOCKED = "blocked"


class CourseLevel(StrEnum):
    """For whom a course is, by what they can do already."""

    EVERYBODY = "everybody"
    BEGINNERS = "beginners"
    SOME = "some experience"
    EXPERIENCED = "experienced"


class SeatsShown(StrEnum):
    """How a public page says how many seats are left."""

    NUMBER = "number"
    FEW = "few"  # only that few are left, or none
    NONE = "none"


class PublicFact(StrEnum):
    """A fact of a course that its public page may leave out."""

    PROGRAM = "program"
    DATES = "dates"
    PRICE = "price"
    PLANS = "plans"
    SEATS = "seats"
    INSTRUCTORS = "instructors"
    PLACE = "place"
    QUESTIONS = "questions"
    GALLERY = "gallery"
    DOCUMENTS = "documents"


class FoundBy(StrEnum):
    """Who finds a run on the public pages."""

    EVERYONE = "everyone"
    ACCOUNT = "account"  # people who have an own page and are signed in to it
    INVITED = "invited"  # only whoever is invited to it, waits for it or is on it


class SignsUp(StrEnum):
    """Who signs up for a run without the staff."""

    EVERYONE = "everyone"
    CODE = "code"
    REQUEST = "request"
    STAFF = "staff"


class PageSetting(StrEnum):
    """A setting that decides what the public sees and may do; each is kept on one page of the staff."""

    COURSE = "course"
    STATUS = "status"
    SHOWN = "shown"
    FOUND_BY = "found by"
    SIGNS_UP = "signs up"
    CODE = "code"
    WINDOWS = "windows"
    SEATS = "seats"
    CLIENT = "client"
    ELSEWHERE = "elsewhere"
    RATE = "rate"


class RequestStatus(StrEnum):
    """What became of a request to come onto a run."""

    OPEN = "open"
    APPROVED = "approved"
    REFUSED = "refused"


class WayIn(StrEnum):
    """How somebody came onto a roster. Sentences are known by their kind (`SentenceKind`)."""

    DESK = "desk"
    STAFF = "staff"
    CODE = "code"
    REQUEST = "request"
    PURCHASE = "purchase"
    LIST = "list"
    OFFER = "offer"
    WAITLIST = "waitlist"
    INTEREST = "interest list"
