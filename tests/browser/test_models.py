"""The page of models: what comes with Epistem, adding one of one's own, asking it, taking it off."""

import pytest


@pytest.fixture
def models(page):
    page.go("/")
    page.click("to-models")
    page.until(lambda: page.path == "/models")
    page.until(lambda: len(page.all("model-row")) >= 6)
    return page


def rows(page):
    return [text.split()[0] for text in page.texts("model-row")]


def test_a_built_in_model_is_asked_for_a_word_and_its_server_for_its_names(models):
    assert rows(models)[0] == "tern-s"
    models.reads("model-title", "tern-s")
    models.click("greet")
    models.reads("greeted", "It answered")
    models.click("list-offered")
    models.reads("offered", "plover-judge")


def test_one_is_added_asked_used_and_taken_off_again(models):
    served_at = models.driver.execute_async_script(
        "fetch('/api/v1/models').then((r) => r.json()).then((l) => arguments[0](l.models[0].address))"
    )
    models.press("a")
    models.fill("model-name", "my-own")
    models.fill("model-address", served_at)
    # Keys are chosen by name; one that is bound to no address is said to be of no use.
    models.until(lambda: "env:EPISTEM_KEY_UNBOUND" in models.text("model-key"))
    models.choose("model-key", "env:EPISTEM_KEY_UNBOUND")
    models.until(lambda: "EPISTEM_KEY_UNBOUND_FOR" in models.driver.page_source)
    models.click("save-model")
    models.reads("model-problem", "may not be sent to")
    assert models.find("model-key").get_attribute("aria-invalid") == "true"
    models.click("how-keys")
    models.choose("model-key", "")
    models.fill("model-served-as", "gannet-l")
    models.click("save-model")
    models.until(lambda: "my-own" in rows(models))
    models.reads("model-title", "my-own")
    models.click("greet")
    models.reads("greeted", "as gannet-l")

    models.go("/subjects/triage-message/draft")
    models.choose("column-model", "my-own")
    models.click("exact-request")
    models.reads("request-json", '"model": "gannet-l"')

    models.go("/models/my-own")
    models.click("remove-model")
    models.until(lambda: "my-own" not in rows(models))
    models.click("undo")
    models.until(lambda: "my-own" in rows(models))
    models.click("remove-model")
    models.until(lambda: "my-own" not in rows(models))
