"""Keys that a server repeats: out of whatever comes back, in whichever way it is written."""

import base64
import json

from hypothesis import given
from hypothesis import strategies as st

from epistem.core.wire.reply import Reply, ToolCall, Usage
from epistem.core.wire.secrets import HIDDEN, Secrets

KEY = "kq-Tern/9f3a7c55e1+b2"
SECRETS = Secrets.of_headers(
    {"Authorization": f"Bearer {KEY}", "X-Pier": "Hollin pier, north side"}
)


def reply(text, calls=()):
    return Reply(text, "stop", Usage(1, 1), "m", tool_calls=tuple(calls))


class TestSecrets:
    def test_what_is_secret_shows_by_its_name_or_its_look(self):
        assert SECRETS.hide(f"You sent {KEY} to Hollin pier, north side.") == (
            f"You sent {HIDDEN} to Hollin pier, north side."
        )
        odd = Secrets.of_headers({"X-Thing": "a81fk2mzq0817ab55nv2k", "Accept": "application/json"})
        assert odd.hide("a81fk2mzq0817ab55nv2k application/json") == f"{HIDDEN} application/json"

    def test_it_is_found_however_it_is_written(self):
        for form in (
            json.dumps(KEY), KEY.replace("/", "\\/"), base64.b64encode(KEY.encode()).decode(),
            "kq-Tern%2F9f3a7c55e1%2Bb2",
        ):  # fmt: skip
            assert "9f3a7c55e1" not in SECRETS.hide(form)
            assert HIDDEN in SECRETS.hide(form)

    def test_the_bytes_of_a_reply_that_has_it_escaped_are_without_it(self):
        escaped = "".join(f"\\u{ord(c):04x}" for c in KEY)
        raw = f'{{"text": "{escaped}", "n": 1}}'.encode()
        came = reply(json.loads(raw)["text"])
        hidden = SECRETS.hide_in(came)
        assert hidden.text == HIDDEN
        assert json.loads(SECRETS.raw_of(raw, came, hidden)) == {"text": HIDDEN, "n": 1}

    def test_the_bytes_of_a_stream_that_has_it_in_pieces_are_without_them(self):
        raw = f'data: {{"c": "{KEY[:9]}"}}\n\ndata: {{"c": "{KEY[9:]}"}}\n\n'.encode()
        came = reply(f"It is {KEY}.")
        kept = SECRETS.raw_of(raw, came, SECRETS.hide_in(came))
        assert KEY[:9].encode() not in kept
        assert KEY[9:].encode() not in kept

    def test_arguments_of_tools_are_without_it(self):
        came = reply("", [ToolCall("1", "tell", json.dumps({"key": KEY}))])
        assert json.loads(SECRETS.hide_in(came).tool_calls[0].arguments) == {"key": HIDDEN}

    def test_what_has_none_is_the_same_to_the_byte(self):
        came, raw = reply("The ferry leaves at nine."), b'{"a":  1}'
        assert SECRETS.hide_in(came) == came
        assert SECRETS.raw_of(raw, came, came) is raw

    @given(st.text(max_size=30), st.text(max_size=30), st.lists(st.integers(1, 9), max_size=40))
    def test_in_pieces_of_any_size_it_is_never_told_and_nothing_else_is_lost(
        self, before, after, sizes
    ):
        whole, masker, told, at = f"{before}{KEY}{after}", SECRETS.masker(), "", 0
        for size in [*sizes, 1_000]:
            told += masker.feed(whole[at : at + size])
            at += size
        told += masker.rest()
        assert told == SECRETS.hide(whole)
        assert KEY not in told
