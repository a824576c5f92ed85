"""The sentences at the head of the Overview."""

from datetime import date

import pytest

from tests.core.asking import only, reading_of
from tests.core.building import HOME, hit, numbered
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.reports.summary import AnswerRequest, answer, share_in_words

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})
DAY = 1_767_225_600_000  # 1 January 2026, UTC


def said(visits, filters=()):
    """`visits`: (query, page) of visits that book."""
    hits = []
    for i, (query, page) in enumerate(visits):
        hits += [hit(DAY + i, url=f"{HOME}{page}{query}", visitor=str(i)), hit(DAY + i, "event", name="book", visitor=str(i))]
    request = AnswerRequest(period={"first": date(2026, 1, 1), "last": date(2026, 1, 2)}, goal=1, segment=only(*filters))
    phrases = answer(reading_of(numbered(hits)), request, BOOKED, "Course bookings").phrases
    return "".join(phrase.text for phrase in phrases), [(phrase.dimension, phrase.value) for phrase in phrases if phrase.dimension]


def test_the_largest_channels_and_pages_are_named_and_linked():
    mail, card = "?utm_source=a&utm_medium=email", "?via=card"
    text, links = said([(mail, "courses")] * 4 + [(card, "courses")] * 2 + [("", "shop")] * 4)
    assert text == "Direct and email bring four in five course bookings. Three in five begin on /courses."
    assert links == [("channel", "Direct"), ("channel", "Email"), ("entry_page", "/courses")]


def test_nothing_is_said_of_too_few():
    assert said([])[0] == "There are no course bookings in these 2 days."
    assert said([("", "a")] * 4)[0] == "Course bookings: 4 in these 2 days, too few to say what drives them."


def test_that_all_come_by_the_one_channel_chosen_is_not_said():
    mail = "?utm_source=a&utm_medium=email"
    filters = [{"dimension": "channel", "values": ["Email"]}]
    assert said([(mail, "a")] * 6 + [(mail, "b")] * 2 + [("", "c")], filters)[0] == "Three in four course bookings begin on /a."
    assert said([(mail, "a")] * 8, filters)[0] == "Course bookings: 8 in these 2 days."


def test_many_pages_are_called_many():
    text, _ = said([("", f"p{i // 2}") for i in range(20)])
    assert text == "Course bookings begin on many pages, most often on /p0."


@pytest.mark.parametrize(
    ("share", "words"), [(1.0, "all"), (0.98, "nearly all"), (0.66, "two in three"), (0.55, "more than half of"), (0.5, "half of"), (0.36, "about a third of")]
)
def test_shares_in_words(share, words):
    assert share_in_words(share) == words
