"""A course as linked data for search engines: schema.org Course, CourseInstance, Schedule and Offer as JSON-LD.

Source: schema.org, the types Course, CourseInstance, Schedule and Offer; dates by ISO 8601.
"""

from __future__ import annotations

import orjson

from archgate.core.states import RunKind, SignUp
from archgate.documents.reader import Document
from archgate.papers.pages.values import CoursePage, RunShown

AVAILABILITY = {
    SignUp.OPEN: "https://schema.org/InStock",
    SignUp.FULL: "https://schema.org/SoldOut",
    SignUp.NOT_YET: "https://schema.org/PreOrder",
    SignUp.CLOSED: "https://schema.org/OutOfStock",
}


def linked_of(page: CoursePage) -> str:
    """The JSON-LD of a course's page. "<" is written as an escape, so that no text ends the element it stands in."""
    base = page.site.base
    provider = {"@type": "EducationalOrganization", "name": page.site.center, "url": f"{base}/catalog"}
    course: Document = {
        "@context": "https://schema.org",
        "@type": "Course",
        "@id": f"{base}{page.canonical}",
        "url": f"{base}{page.canonical}",
        "name": page.title,
        "courseCode": page.code,
        "description": page.described,
        "provider": provider,
        "inLanguage": page.language_code or "en",
        "hasCourseInstance": [_instance(page, run) for run in page.runs],
    }
    if page.picture:
        course["image"] = f"{base}{page.picture.large}"
    if page.level:
        course["educationalLevel"] = page.level
    if page.tags:
        course["keywords"] = ", ".join(page.tags)
    offers = [_offer(page, run) for run in page.runs if run.price]
    if offers:
        course["offers"] = offers
    return (
        orjson.dumps(course).decode().replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")
    )


def _instance(page: CoursePage, run: RunShown) -> Document:
    online = run.where is not None and run.where.online
    instance: Document = {
        "@type": "CourseInstance",
        "name": run.title,
        "url": f"{page.site.base}{run.address}",
        "courseMode": "online" if online or run.kind is RunKind.OPEN else "onsite",
    }
    if run.first:
        instance["startDate"] = run.first.isoformat()
    if run.last:
        instance["endDate"] = run.last.isoformat()
    if run.teachers:
        instance["instructor"] = [{"@type": "Person", "name": t.name} for t in run.teachers]
    if run.where and not run.where.online:
        place: Document = {"@type": "Place", "name": run.where.name}
        if run.where.address:
            place["address"] = run.where.address
        instance["location"] = place
    elif online:
        instance["location"] = {"@type": "VirtualLocation", "url": f"{page.site.base}{run.address}"}
    if run.dates:
        minutes = sum(int((d.end - d.start).total_seconds()) // 60 for d in run.dates)
        instance["courseWorkload"] = (
            f"PT{minutes // 60}H{minutes % 60}M" if minutes % 60 else f"PT{minutes // 60}H"
        )
        instance["subEvent"] = [
            {
                "@type": "Event",
                "name": page.title,
                "startDate": d.start.isoformat(),
                "endDate": d.end.isoformat(),
                **({"location": {"@type": "Place", "name": d.place}} if d.place else {}),
            }
            for d in run.dates[:100]
        ]
    return instance


def _offer(page: CoursePage, run: RunShown) -> Document:
    assert run.price is not None
    offer: Document = {
        "@type": "Offer",
        "price": run.price.amount,
        "priceCurrency": run.price.currency,
        "availability": AVAILABILITY[run.state],
        "url": f"{page.site.base}{run.address}",
        "category": "Paid" if float(run.price.amount) else "Free",
    }
    if run.price.until:
        offer["priceValidUntil"] = run.price.until.isoformat()
    if run.opens:
        offer["validFrom"] = run.opens.isoformat()
    if run.closes:
        offer["validThrough"] = run.closes.isoformat()
    if run.seats and run.seats.number is not None:
        offer["inventoryLevel"] = {"@type": "QuantitativeValue", "value": run.seats.number}
    return offer
