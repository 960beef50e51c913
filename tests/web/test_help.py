"""Help: every part of the map has its guide, in the trade's words or the glossary's; documents are pages, searched."""

import re

import pytest
from django.urls import reverse

from upwelling.web.care.guide import DOCS, GUIDES, document, documents, found, glossary, guide, parts


@pytest.mark.parametrize("part", parts())
def test_every_part_has_a_guide_of_three_things_and_words_of_the_glossary(part, as_, production):
    page = guide(part)
    assert page is not None
    assert page.html.count("<li>") == 3
    assert [word for word, meaning in page.words if not meaning] == []
    text = as_("vera").get(f"{reverse('help-page', args=[part])}?beside=1").content.decode()
    assert page.title in text
    assert "<html" not in text
    assert f"{reverse('help-page', args=[part])}?beside=1" in as_("tess").get(
        reverse("production" if part.startswith("any-") else part, args=["kilnlight"]), follow=True
    ).content.decode() or part.startswith("any-")


def test_no_guide_is_without_a_part():
    assert {file.stem for file in GUIDES.iterdir()} == set(parts())


@pytest.mark.parametrize("name", [page.name for page in documents()])
def test_every_document_is_a_page_whose_links_and_pictures_answer(name, as_, people):
    client = as_("tess")
    page = client.get(reverse("help-document", args=[name])).content.decode()
    assert f"<h1>{document(name).title}" in page
    body = page.split("<article")[1].split("</article>")[0]
    for address in re.findall(r'(?:href|src)="(/[^"#]*)', body):
        assert client.get(address).status_code == 200, address


def test_words_are_found_in_guides_first(as_, people):
    hits = found("lift the black") or found("proof")
    assert hits[0][0].name in parts()
    assert "<mark>" in hits[0][1]
    assert found("  ") == []
    page = as_("tess").get(reverse("help") + "?find=<script>").content.decode()
    assert "&lt;script&gt;" in page
    assert "No page has" in page
    assert len(glossary()) > 40
    assert (DOCS / "glossary.md").read_text().count("\n| ") >= len(glossary())


@pytest.mark.parametrize(
    "address", ["/help/nothing/", "/help/..%2Fsecurity/", "/help/picture/x.png", "/help/picture/..%2F..%2FREADME.md"]
)
def test_what_is_not_there_is_not_found(address, as_, people, client):
    assert as_("tess").get(address).status_code == 404
    assert client.get("/help/").status_code == 302
