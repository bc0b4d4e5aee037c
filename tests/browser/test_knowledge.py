"""Knowledge in the browser: a folder in, a passage found, used in a prompt, opened from the answer."""

import pytest


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "bicycles.md").write_text(
        "# Bicycles\n\n## Usual ones\nA bicycle costs four euros.\n\n## Folding ones\nThey travel free in a bag.\n"
    )
    (tmp_path / "dogs.txt").write_text("Dogs\n\nDogs travel free on a lead.\n")
    (tmp_path / "scan.pdf").write_bytes(b"%PDF-1.4 torn")
    return tmp_path


def test_a_folder_comes_in_and_a_prompt_answers_from_it(page, make, folder):
    page.go("/knowledge")
    page.click("new-collection")
    page.fill("collection-name", "deck-rules")
    page.click("make-collection")
    page.find("documents").send_keys("\n".join(str(each) for each in sorted(folder.iterdir())))
    page.until(lambda: len(page.all("brought")) == 3)
    assert "damaged" in page.texts("brought")[2]
    page.reads("slices", "Usual ones")
    page.choose("cut-by", "length")
    page.until(lambda: len(page.all("slice")) == 1)
    page.choose("cut-by", "headings")
    page.until(lambda: len(page.all("slice")) == 2)
    page.click("keep-brought")
    page.reads("reading", "A bicycle costs four euros.")

    # Found on the bench, marked as right, measured.
    page.fill("question", "What does a bicycle cost?")
    page.reads("hit", "bicycles#1")
    page.click("mark-right")
    page.until(lambda: page.all("mark-right")[0].text == "✓ right")
    page.click("measure-bench")
    page.reads("measures", "1.00")

    # An edit is a version; the undo is one, too.
    page.click("edit-passage")
    page.fill("passage-field", "A bicycle costs five euros.")
    page.click("save-passage")
    page.reads("reading", "five euros")

    make.prompt(
        "deck",
        "Answer only from the notices. Cite the notices as [1].\n<notices>\n{{ notices }}\n</notices>",
    )
    page.go("/subjects/deck/draft")
    page.click("open-inputs")
    page.find("input-row-notices", "select[aria-label='Kind of notices']").send_keys("passages")
    page.choose("look-up-in", "deck-rules")
    page.reads("looked-up-in", "deck-rules")
    page.fill("input-message", "What does a bicycle cost?")
    page.click("answer-button")
    page.until(lambda: len(page.all("found")) == 2)
    assert "from deck-rules v2" in page.texts("found")[0]
    page.until(lambda: page.all("citation"))
    page.click("citation")
    assert "five euros" in page.one("[data-cited=true]").text
    page.click("found-passage", "a")
    page.reads("reading", "five euros")
    assert "at=bicycles%231" in page.path
    page.one('[data-reference="bicycles#1"].bg-straw-wash')

    # What a prompt looks up in is not put away, and says who does.
    page.go("/knowledge/deck-rules")
    page.click("about-collection")
    page.click("put-collection-away")
    page.until(lambda: "deck" in page.text("notice"))
    assert make.call("GET", "/collections/deck-rules")[0]["used_by"] == ["deck"]
