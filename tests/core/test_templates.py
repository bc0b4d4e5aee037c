"""The template language: as Jinja2 has it where it is offered, and never beyond its budget."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
from contextlib import suppress

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jinja2 import StrictUndefined, TemplateError
from jinja2.sandbox import ImmutableSandboxedEnvironment

from epistem.core.cases.content import Case
from epistem.core.errors import EpistemError, TooCostly
from epistem.core.prompts.content import Message, Part, Prompt
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.render import render
from epistem.core.prompts.settings import Settings
from epistem.core.templates.budget import Budget, CostsTooMuch
from epistem.core.templates.filling import Filling, Trouble
from epistem.core.templates.language import syntax_error
from epistem.core.templates.undefined import UndefinedInput
from epistem.core.trials import estimate as estimating
from epistem.core.trials.estimate import PlannedArm, estimate

JINJA = ImmutableSandboxedEnvironment(undefined=StrictUndefined)
INPUTS = {
    "name": "Ines Marlow",
    "n": 7,
    "xs": [3, 1, 2, 3],
    "words": ["oak", "Elm", "ash"],
    "trip": {"from": "Hollin", "stops": ["Sandray", "Little Orm"], "count": 4},
    "rows": [{"k": "b", "v": 2}, {"k": "a", "v": 5}, {"k": "b", "v": 1}],
    "none": None,
    "yes": True,
}

SAMPLES = [
    "{{ name|upper }} {{ name.split(' ')[1] }} {{ name[:4] }}{{ name[::-1] }}",
    "{% for x in xs %}{{ loop.index }}/{{ loop.length }}{{ ',' if not loop.last }}{% endfor %}",
    "{% for x in xs if x > 1 %}{{ loop.first }}{{ x }}{% else %}none{% endfor %}",
    "{% for x in [] %}{% else %}none{% endfor %}",
    "{% for r in rows %}{{ loop.cycle('a', 'b') }}{{ loop.changed(r.k) }}{{ loop.revindex0 }}{% endfor %}",
    "{% for a, b in trip|dictsort %}{{ a }}={{ b }};{% endfor %}",
    "{% for k, v in trip.items() %}{{ k }}{% endfor %}{{ trip.stops|join(' and ') }}{{ trip['count'] }}",
    "{% set x = 1 %}{% for i in xs %}{{ x }}{% set x = x + i %}{{ x }}{% endfor %}{{ x }}",
    "{% if n > 5 and xs %}{% set y = 'in' %}{% elif n %}mid{% endif %}{{ y }}",
    "{% with a = n, b = a|default('outer') %}{{ a }}{{ b }}{% endwith %}",
    "{% macro m(a, b='B') %}[{{ a }}{{ b }}{{ varargs|length }}{{ kwargs }}]{% endmacro %}{{ m(1) }}{{ m(1, 2, 3) }}",
    "{% macro box(t) %}<{{ t }}:{{ caller() }}>{% endmacro %}{% call box('x') %}in {{ n }}{% endcall %}",
    "{% set block %}a {{ n }}{% endset %}{{ block|length }}{% filter upper %}low{% endfilter %}",
    "{% for x in [[1, [2]], [3]] recursive %}{{ loop(x) if x is sequence else x }}{% endfor %}",
    "{{ xs|sort }}{{ xs|unique|list }}{{ words|sort }}{{ words|sort(reverse=true) }}{{ xs|sum }}{{ xs|max }}",
    "{{ rows|map(attribute='k')|join }}{{ rows|selectattr('v', 'gt', 1)|map(attribute='v')|list }}",
    "{{ rows|groupby('k')|length }}{% for g in rows|groupby('k') %}{{ g.grouper }}{{ g.list|length }}{% endfor %}",
    "{{ rows|sort(attribute='k,v')|map(attribute='v')|list }}",
    "{{ xs|select('odd')|list }}{{ xs|reject('in', [1])|list }}",
    "{{ words|map('upper')|join('-') }}{{ words|map('replace', 'a', 'b')|list }}",
    "{{ xs|batch(3)|list }}{{ xs|slice(3)|list }}",
    "{{ trip|tojson }}{{ xs|first }}{{ xs|last }}{{ xs|reverse|list }}{{ name|reverse }}{{ none|default('d') }}",
    "{{ 'a b-c (d'|title }}|{{ ' x '|trim }}",
    "{{ 'long words here now'|truncate(9) }}|{{ 'x<y'|e }}|{{ 'a b'|urlencode }}",
    "{{ 7 / 2 }} {{ 7 // 2 }} {{ -7 % 3 }} {{ 2 ** 8 }} {{ 1.5|round }}",
    "{{ 2.567|round(1) }} {{ '4'|int + 1 }} {{ 'x'|int(9) }}",
    "{{ 1 < n <= 7 }}{{ n in xs }}{{ 'oak' in words }}{{ 'ar' in name }}",
    "{{ n is divisibleby 7 }}{{ none is none }}{{ yes is true }}",
    "{{ x is defined }}{{ name is string }}{{ n is number }}",
    "{{ trip is mapping }}{{ xs is iterable }}{{ 'a' ~ 1 ~ none }}",
    "{{ range(3)|list }}{{ dict(a=1)['a'] }}{{ (1, 2) }}{{ {'k': [1]} }}{{ [1] + [2] }}{{ 'ab' * 2 }}{{ [0] * 2 }}",
    "{%- if yes -%}  tight  {%- endif %}\n  {{ 'raw' }}{% raw %}{{ not }}{% endraw %}{# gone #}\n",
    "{{ 'abc'.replace('b', 'x') }}{{ 'a,b'.split(',') }}",
    "{{ '-'.join(['a', 'b']) }}{{ 'Abc'.startswith('A') }}{{ xs.count(3) }}",
    "{{ trip.get('none', 'x') }}{{ trip.keys()|list }}{{ name|wordcount }}",
    "{{ name|capitalize }}{{ 'a\nb'|indent(2) }}{{ name if false }}",
    "{% block a %}in a block{% endblock %}{{ [1, 'a', none, true, 1.0] }}",
    "{{ 'x' if n else 'y' }}{{ not n }}{{ +n }}{{ -n }}",
]  # fmt: skip


def by_jinja(text: str) -> str | None:
    """What Jinja2 makes of it; None for any mistake."""
    try:
        return JINJA.from_string(text).render(INPUTS)
    except (TemplateError, TypeError, ValueError, ArithmeticError, LookupError):
        return None


def by_us(text: str) -> str | None:
    if syntax_error(text) is not None:
        return None
    try:
        return Filling().fill_in(text, INPUTS)
    except (UndefinedInput, Trouble):
        return None


@pytest.mark.parametrize("text", SAMPLES)
def test_what_is_offered_is_as_in_jinja2(text):
    expected = by_jinja(text)
    assert expected is not None
    assert by_us(text) == expected


NAMES = st.sampled_from([*INPUTS, "ghost", "a", "b"])
ATOMS = st.one_of(
    NAMES,
    st.sampled_from(["1", "0", "2.5", "'x'", "''", "true", "none", "[1, 2]", "['b', 'a']", "{'k': 1}"]),
    st.sampled_from(["trip.stops", "trip.from", "rows[0].v", "xs[1:]", "name.lower()", "xs[9]", "trip.ghost"]),
)  # fmt: skip
FILTER_NAMES = st.sampled_from(
    ["upper", "lower", "title", "trim", "length", "first", "last", "sort", "unique|list", "reverse|list",
     "join(',')", "default('d')", "int", "float", "string", "list", "sum", "max", "min", "tojson",
     "replace('a', 'b')", "abs", "round", "wordcount", "map('string')|list", "select|list", "batch(2)|list",
     "truncate(4)", "capitalize", "items|list", "escape"]
)  # fmt: skip
OPERATORS = st.sampled_from(
    ["+", "-", "*", "//", "/", "%", "~", "==", "!=", "<", ">=", "in", "not in", "and", "or"]
)
EXPRESSIONS = st.recursive(
    ATOMS,
    lambda inner: st.one_of(
        st.builds("({} {} {})".format, inner, OPERATORS, inner),
        st.builds("({})|{}".format, inner, FILTER_NAMES),
        st.builds("({} if {} else {})".format, inner, inner, inner),
        st.builds("(not {})".format, inner),
        st.builds(
            "({} is {})".format,
            inner,
            st.sampled_from(
                ["defined", "none", "string", "number", "mapping", "odd", "sequence", "not defined"]
            ),
        ),
    ),
    max_leaves=5,
)
TEMPLATES = st.recursive(
    st.one_of(
        st.text("ab \n", max_size=4),
        st.builds("{{{{ {} }}}}".format, EXPRESSIONS),
        st.builds("{{% set {} = {} %}}".format, st.sampled_from("ab"), EXPRESSIONS),
    ),
    lambda inner: st.one_of(
        st.builds("{}{}".format, inner, inner),
        st.builds("{{% if {} %}}{}{{% else %}}{}{{% endif %}}".format, EXPRESSIONS, inner, inner),
        st.builds("{{% for a in {} %}}{}{{{{ loop.index }}}}{{% endfor %}}".format, EXPRESSIONS, inner),
        st.builds("{{% with a = {} %}}{}{{% endwith %}}".format, EXPRESSIONS, inner),
        st.builds("{{%- macro m(a, b=1) -%}}{}{{% endmacro %}}{{{{ m({}) }}}}".format, inner, EXPRESSIONS),
    ),
    max_leaves=6,
)  # fmt: skip


@settings(max_examples=400, deadline=None)
@given(TEMPLATES)
def test_generated_templates_come_out_as_in_jinja2(text):
    """Where both give something; being stricter about what is a mistake is ours to choose."""
    ours, theirs = by_us(text), by_jinja(text)
    if ours is not None:
        assert ours == theirs


LOOPS = "".join(f"{{% for a{n} in range(99999) %}}" for n in range(3)) + "x" + "{% endfor %}" * 3
DOUBLED = "{% set x = [1] %}" + "{% set x = [x, x] %}" * 60
FAN = "".join(
    f"{{% macro m{n}() %}}{{{{ m{n + 1}() }}}}{{{{ m{n + 1}() }}}}{{% endmacro %}}"
    for n in range(20)
)
BOMBS = [
    LOOPS,
    "{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}",
    "{% set x = 9 %}" + "{% set x = x * x %}" * 60 + "{{ x }}",
    "{% set x = 'abcdefgh' %}" + "{% set x = x ~ x %}" * 40,
    "{% set x = 'abcdefgh' %}" + "{% set x = x + x %}" * 40,
    *[DOUBLED + use for use in (
        "{{ x }}", "{{ x|tojson(indent=8) }}", "{{ x == x|list }}", "{{ x|sort }}", "{{ [x, x]|unique }}",
        "{{ x in [x] }}", "{{ x|string }}", "{{ [x]|map('string')|list }}", "{{ x|join }}", "{{ x is lower }}",
    )],
    "{{ 'x'.encode().ljust(999999999) }}", "{{ (1).to_bytes(999999999) }}", "{{ 'x'.zfill(999999999) }}",
    "{{ ('x' * 100000).replace('', 'y' * 100000) }}", "{{ ('x' * 100000)|replace('x', 'y' * 100000) }}",
    "{{ ('x' * 100000).join(range(99999)|map('string')) }}", "{{ range(99999)|join('x' * 100000) }}",
    "{{ [[[1]]]|tojson(999999999) }}", "{{ range(99999)|list|tojson(indent=8) }}",
    "{{ [1]|batch(999999999, 'x')|list }}", "{{ [1]|slice(999999999)|list }}", "{{ range(10 ** 9) }}",
    "{{ ('\\n' * 99999)|indent(80, blank=true) }}", "{{ 9 ** 9 ** 9 }}", "{{ 1000000 ** 100 }}",
    "{% macro m() %}{{ m() }}{{ m() }}{% endmacro %}{{ m() }}", FAN + "{% macro m20() %}{% endmacro %}{{ m0() }}",
    "{% for a in [1] recursive %}{{ loop([1]) }}{{ loop([1]) }}{% endfor %}",
    *[f"{{% for a in range(99999) %}}{each}{{% endfor %}}" for each in (
        "{{ 'y' in big }}", "{% set b = big|title %}", "{% set b = big.split() %}", "{% set b = big[1:] %}",
        "{% if big is lower %}{% endif %}", "{% if big == big2 %}{% endif %}", "{{ big.count('a') }}",
        "{% if big.startswith(big2) %}{% endif %}", "{% set g = range(99999)|sort %}", "{% set g = big|list %}",
        "{% set g = range(99999)|unique %}", "{{ loop.cycle(*range(99999)) }}", "{% set b = big|wordcount %}",
        "{{ record }}", "{% set b = record|tojson %}", "{% set b = big|length ~ big %}", "{{ big < big2 }}",
    )],
    "{% set x %}yy{% endset %}" + "{% set x %}{{ x }}{{ x }}{% endset %}" * 40,
]  # fmt: skip
BIG = {"big": "ab " * 200_000, "big2": "ab " * 200_000, "record": {"k": "v" * 600_000}}


def prompt_of(text: str, **more) -> Prompt:
    return Prompt(messages=[Message(role="user", parts=[Part(name="P", text=text)])], **more)


@pytest.fixture(scope="module")
def blasts() -> list[dict]:
    """What becomes of each bomb, in a process of its own, and by how many bytes that grew."""
    done = subprocess.run(
        [sys.executable, "-c", "from tests.core.test_templates import set_off; set_off()"],
        capture_output=True, check=True, timeout=200,
    )  # fmt: skip
    return json.loads(done.stdout)


def set_off() -> None:
    found, before = [], resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for text in BOMBS:
        try:
            render(prompt_of(text), BIG)
            told = {}
        except EpistemError as error:
            told = {"part": error.part, "line": error.line, "message": error.message}
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        found.append({**told, "grown": grown * 1024})
    print(json.dumps(found))


@pytest.mark.parametrize("number", range(len(BOMBS)))
def test_a_bomb_is_told_to_its_author_within_a_bounded_memory(blasts, number):
    told = blasts[number]
    assert (told.get("part"), bool(told.get("line"))) == ("P", True)
    assert told["grown"] < 100_000_000


@pytest.mark.parametrize(
    "text",
    [
        "{{ " + "(" * 68 + "1" + ")" * 68 + " }}",
        "{{" + "{" * 74,
        "{{ " + "not " * 3000 + "1 }}",
        "{{ " + "-" * 3000 + "1 }}",
        "{{ " + "1+" * 3000 + "1 }}",
        "{{ x" + "|trim" * 3000 + " }}",
        "{{ x" + ".a" * 5000 + " }}",
        "{{ " + "1 if x else " * 3000 + "1 }}",
        "{% for a in x %}" * 200 + "{% endfor %}" * 200,
        "{{ a }}" * 70_000,
        "{{ " + "9" * 100_000 + " }}",
        "{{ x|upsidedown }}",
        "{{ x is upsidedown }}",
        "{{ '\\N{no such letter}' }}",
    ],
    ids=range(14),
)
def test_what_cannot_be_read_is_a_mistake_with_its_line(text):
    [first, *_] = problems_of(prompt_of("a line before\n" + text))
    assert (first.part, first.field) == ("P", "messages.0.parts.0.text")
    assert first.line in (1, 2)
    with pytest.raises(EpistemError):
        render(prompt_of(text), {"x": "x", "a": "a"})


def test_twenty_one_loops_inside_each_other_are_no_mistake():
    text = "".join(f"{{% for a{n} in [1] %}}" for n in range(21)) + "x" + "{% endfor %}" * 21
    [message] = render(prompt_of(text), {})
    assert message.text == "x"


def test_half_a_character_is_told_with_its_line():
    with pytest.raises(EpistemError, match="half a character") as caught:
        render(prompt_of("ok\n{{ '\\ud800' }}"), {})
    assert (caught.value.part, caught.value.line) == ("P", 2)


def test_fragments_that_include_each_other_doubly_end_soon():
    fragments = {
        f"f{n}@1": f'{{% include "f{n + 1}@1" %}}{{% include "f{n + 1}@1" %}}' for n in range(19)
    }
    prompt = prompt_of('{% include "f0@1" %}', fragments=fragments | {"f19@1": "x"})
    assert problems_of(prompt) == []
    with pytest.raises(TooCostly):
        render(prompt, {})
    deeper = {f"g{n}@1": f'{{% include "g{n + 1}@1" %}}' for n in range(40)} | {"g40@1": "x"}
    [told] = problems_of(prompt_of('{% include "g0@1" %}', fragments=deeper))
    assert "more than 20 deep" in told.message


def test_one_budget_is_for_all_parts_of_a_prompt():
    costly = "{% for a in range(9000) %}{{ a }}{% endfor %}"
    assert render(prompt_of(costly), {})
    parts = [Part(name=f"P{n}", text=costly) for n in range(20)]
    with pytest.raises(TooCostly, match="filling in takes too long"):
        render(Prompt(messages=[Message(role="user", parts=parts)]), {})


def test_the_same_template_ends_at_the_same_place_every_time():
    left = set()
    for _ in range(3):
        budget = Budget()
        with pytest.raises(CostsTooMuch):
            Filling(budget=budget).fill_in(LOOPS, {})
        left.add((budget.steps, budget.made))
    assert len(left) == 1


@settings(max_examples=300, deadline=None)
@given(st.text(st.sampled_from("{}%#-+*|~.,()[]'\"=<>!: \nabx10_") | st.characters(), max_size=60))
def test_any_text_is_filled_in_or_told_to_its_author(text):
    try:
        prompt = prompt_of(text)
    except ValueError:  # half a surrogate pair: no text at all
        return
    assert all(problem.message for problem in problems_of(prompt))
    with suppress(EpistemError):
        render(prompt, {"a": "1", "x": [1, {"a": 2}]})


def test_all_parts_together_have_a_limit_too():
    """Each would pass, but reading thousands of them again and again would not."""
    dense = ["{{ " + "a.b" * 4_900 + f" }}}}{n}" for n in range(40)]
    with pytest.raises(ValueError, match="60,000 marks and words inside marks together"):
        Prompt(messages=[Message(role="user", parts=[Part(name="P", text=t) for t in dense])])
    plain = "no marks, but {braces} now and then\n" * 10_000
    assert Prompt(messages=[Message(role="user", parts=[Part(name="P", text=plain)] * 20)])


def test_an_estimate_ends_soon_however_costly_the_template(monkeypatch):
    asked = []
    usual = estimating.render_talk
    monkeypatch.setattr(estimating, "render_talk", lambda *given: asked.append(1) or usual(*given))
    costly = prompt_of("{% for a in range(60000) %}{% if a %}{% endif %}{% endfor %}x")
    arm = PlannedArm(costly, Settings(), 8_000, 1.0, 1.0, None, None)
    told = estimate([arm], [Case(inputs={"x": "x"})] * 200, 5, 64)
    assert 0 < len(asked) < 5
    assert (told.calls, told.unfit) == (1_000, 0)
    assert told.input_tokens >= 1_000
    asked.clear()
    bomb = estimate(
        [arm._replace(content=prompt_of(LOOPS))], [Case(inputs={"x": "x"})] * 200, 5, 64
    )
    assert (len(asked), bomb.unfit) == (1, 200)
