"""Filling a template in: its syntax tree walked node by node, each paid for out of one budget."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from jinja2 import Undefined, nodes
from jinja2.exceptions import UndefinedError

from epistem.core.templates.budget import Budget, CostsTooMuch
from epistem.core.templates.comparing import TESTS, ordered
from epistem.core.templates.filters import CHEAP, FILTERS
from epistem.core.templates.language import parsed
from epistem.core.templates.loops import Helper, Loop
from epistem.core.templates.undefined import UndefinedInput, fail_if_undefined, undefined
from epistem.core.templates.values import (
    Method,
    NoSuch,
    attribute,
    item,
    listed_items,
    plain_text,
)

MOST_REPEATED = 100_000
"""The longest text or list that `*` and `range` may make."""
DEEPEST_CALLS = 24
"""Macros, fragments and loops inside each other while filling in."""


class Trouble(Exception):
    """A template can't be filled in: `str()` says why, `line` where (from 1)."""

    def __init__(self, message: str, line: int) -> None:
        super().__init__(message)
        self.line = line


class Scope:
    """Names that are set here, over those of the scope around."""

    __slots__ = ("around", "names")

    def __init__(self, names: dict[str, Any], around: Scope | None = None) -> None:
        self.names = names
        self.around = around

    def find(self, name: str) -> Any:
        at: Scope | None = self
        while at is not None:
            if name in at.names:
                return at.names[name]
            at = at.around
        return undefined(name)


class Macro:
    """A macro, or the inside of a `call`, with the scope that it was written in."""

    def __init__(self, node: nodes.Macro | nodes.CallBlock, name: str, scope: Scope) -> None:
        self.name = name
        self.node = node
        self.scope = scope


class Filling:
    """Fills in templates for one prompt. `fragments` are the texts that may be included, by name."""

    def __init__(
        self, fragments: Mapping[str, str] | None = None, budget: Budget | None = None
    ) -> None:
        self.budget = budget or Budget()
        self._fragments = fragments or {}
        self._depth = 0
        self._line = 1

    def fill_in(self, text: str, names: Mapping[str, Any]) -> str:
        """The text with its marks replaced.

        Raises jinja2.TemplateSyntaxError, UndefinedInput for what was not given, CostsTooMuch, or
        Trouble for anything else; the last two with the line where it happened.
        """
        tree = parsed(text)
        self._line, self._depth = 1, 0
        try:
            return self._body(tree.body, Scope({}, Scope(dict(names), Scope(dict(GLOBALS)))))
        except CostsTooMuch as error:
            error.line = self._line
            raise
        except RecursionError:
            raise Trouble("it is nested too deeply", self._line) from None
        except UndefinedInput as error:
            error.line = self._line
            raise
        except (
            ArithmeticError, AttributeError, LookupError, NoSuch, TypeError, UndefinedError, ValueError,
        ) as error:  # fmt: skip
            raise Trouble(_in_words(error), self._line) from error

    # Statements

    def _body(self, body: list[nodes.Node], scope: Scope) -> str:
        out: list[str] = []
        self._run(body, scope, out)
        return "".join(out)

    def _run(self, body: list[nodes.Node], scope: Scope, out: list[str]) -> None:
        for node in body:
            self._line = node.lineno or self._line
            self.budget.step()
            statement = STATEMENTS.get(type(node))
            if statement is None:
                raise TypeError(f"“{type(node).__name__.lower()}” can't be used in a prompt")
            statement(self, node, scope, out)

    def _output(self, node: nodes.Output, scope: Scope, out: list[str]) -> None:
        for each in node.nodes:
            if isinstance(each, nodes.TemplateData):
                out.append(self.budget.text(each.data))
            else:
                self._line = each.lineno or self._line
                out.append(self.budget.text(plain_text(self.budget, self._value(each, scope))))

    def _if(self, node: nodes.If, scope: Scope, out: list[str]) -> None:
        if self._value(node.test, scope):
            return self._run(node.body, scope, out)
        for other in node.elif_:
            self.budget.step()
            if self._value(other.test, scope):
                return self._run(other.body, scope, out)
        return self._run(node.else_, scope, out)

    def _for(self, node: nodes.For, scope: Scope, out: list[str]) -> None:
        self._loop(node, self._value(node.iter, scope), scope, out, 0)

    def _loop(self, node: nodes.For, over: Any, scope: Scope, out: list[str], depth: int) -> None:
        self._go_in()
        items = listed_items(self.budget, over)
        if node.test is not None:
            kept = []
            for each in items:
                inner = Scope({}, scope)
                self._assign(node.target, each, inner)
                if self._value(node.test, inner):
                    kept.append(each)
            items = self.budget.items(kept)
        again = None
        if node.recursive:

            def again(inner: Any) -> str:
                said: list[str] = []
                self._loop(node, inner, scope, said, depth + 1)
                return self.budget.text("".join(said))

        loop = Loop(items, depth, again, self.budget)
        for each in items:
            self.budget.step(2)
            inner = Scope({"loop": loop}, scope)
            self._assign(node.target, each, inner)
            self._run(node.body, inner, out)
            loop.at += 1
        if not items:
            self._run(node.else_, Scope({}, scope), out)
        self._depth -= 1

    def _set(self, node: nodes.Assign, scope: Scope, out: list[str]) -> None:
        self._assign(node.target, self._value(node.node, scope), scope)

    def _set_block(self, node: nodes.AssignBlock, scope: Scope, out: list[str]) -> None:
        text: Any = self.budget.text(self._body(node.body, Scope({}, scope)))
        if node.filter is not None:
            text = self._filtered(node.filter, scope, text)
        self._assign(node.target, text, scope)

    def _with(self, node: nodes.With, scope: Scope, out: list[str]) -> None:
        inner = Scope({}, scope)
        for target, value in zip(node.targets, node.values, strict=True):
            self._assign(target, self._value(value, scope), inner)
        self._run(node.body, inner, out)

    def _filter_block(self, node: nodes.FilterBlock, scope: Scope, out: list[str]) -> None:
        text = self.budget.text(self._body(node.body, Scope({}, scope)))
        out.append(plain_text(self.budget, self._filtered(node.filter, scope, text)))

    def _scope_of_its_own(
        self, node: nodes.Scope | nodes.Block, scope: Scope, out: list[str]
    ) -> None:
        self._run(node.body, Scope({}, scope), out)

    def _macro(self, node: nodes.Macro, scope: Scope, out: list[str]) -> None:
        scope.names[node.name] = Macro(node, node.name, scope)

    def _call_block(self, node: nodes.CallBlock, scope: Scope, out: list[str]) -> None:
        caller = Macro(node, "caller", scope)
        out.append(plain_text(self.budget, self._called(node.call, scope, caller)))

    def _include(self, node: nodes.Include, scope: Scope, out: list[str]) -> None:
        name = self._value(node.template, scope)
        text = self._fragments.get(name) if isinstance(name, str) else None
        if text is None:
            if node.ignore_missing:
                return
            raise NoSuch(f"there is no fragment “{str(name)[:80]}”")
        self._go_in()
        line = self._line
        around = scope if node.with_context else Scope(dict(GLOBALS))
        self._run(parsed(text).body, Scope({}, around), out)
        self._depth, self._line = self._depth - 1, line

    def _assign(self, target: nodes.Node, value: Any, scope: Scope) -> None:
        if isinstance(target, nodes.Name):
            scope.names[target.name] = value
            return
        if not isinstance(target, nodes.Tuple):
            raise TypeError("only a name can be set")
        values = listed_items(self.budget, value)
        if len(values) != len(target.items):
            raise ValueError(
                f"{len(target.items)} names are set, but there are {len(values)} values"
            )
        for each, own in zip(target.items, values, strict=True):
            self._assign(each, own, scope)

    # Expressions

    def _value(self, node: nodes.Node, scope: Scope) -> Any:
        self.budget.step()
        expression = EXPRESSIONS.get(type(node))
        if expression is None:
            raise TypeError(f"“{type(node).__name__.lower()}” can't be used in a prompt")
        return expression(self, node, scope)

    def _values(self, several: list[Any], scope: Scope) -> list[Any]:
        return self.budget.items([self._value(each, scope) for each in several])

    def _record(self, node: nodes.Dict, scope: Scope) -> dict[Any, Any]:
        self.budget.make(64 * len(node.items))
        return {self._value(p.key, scope): self._value(p.value, scope) for p in node.items}

    def _item(self, node: nodes.Getitem, scope: Scope) -> Any:
        whole = self._value(node.node, scope)
        if not isinstance(node.arg, nodes.Slice):
            return item(whole, self._value(node.arg, scope))
        ends = (node.arg.start, node.arg.stop, node.arg.step)
        place = slice(*(None if end is None else self._value(end, scope) for end in ends))
        fail_if_undefined(whole, place.start, place.stop, place.step)
        if isinstance(whole, str):
            return self.budget.text(whole[place])
        return self.budget.items(listed_items(self.budget, whole)[place])

    def _choice(self, node: nodes.CondExpr, scope: Scope) -> Any:
        if self._value(node.test, scope):
            return self._value(node.expr1, scope)
        if node.expr2 is not None:
            return self._value(node.expr2, scope)
        return Undefined()  # prints as nothing, as Jinja2 has it

    def _both(self, node: nodes.And, scope: Scope) -> Any:
        left = self._value(node.left, scope)
        return self._value(node.right, scope) if left else left

    def _either(self, node: nodes.Or, scope: Scope) -> Any:
        left = self._value(node.left, scope)
        return left if left else self._value(node.right, scope)

    def _compared(self, node: nodes.Compare, scope: Scope) -> bool:
        left = self._value(node.expr, scope)
        for operand in node.ops:
            right = self._value(operand.expr, scope)
            if not ordered(self.budget, operand.op, left, right):
                return False
            left = right
        return True

    def _joined(self, node: nodes.Concat, scope: Scope) -> str:
        texts = [plain_text(self.budget, self._value(each, scope)) for each in node.nodes]
        self.budget.make(sum(map(len, texts)))
        return "".join(texts)

    def _worked_out(self, node: nodes.BinExpr, scope: Scope) -> Any:
        left, right = self._value(node.left, scope), self._value(node.right, scope)
        fail_if_undefined(left, right)
        return _arithmetic(self.budget, node.operator, left, right)

    def _signed(self, node: nodes.Neg | nodes.Pos, scope: Scope) -> Any:
        value = self._value(node.node, scope)
        fail_if_undefined(value)
        return -value if isinstance(node, nodes.Neg) else +value

    def _tested(self, node: nodes.Test, scope: Scope) -> bool:
        value = self._value(node.node, scope)
        given = [self._value(each, scope) for each in node.args]
        if node.name not in ("defined", "undefined"):
            fail_if_undefined(value)
            for each in (value, *given):
                self.budget.look_at(each)
        return bool(TESTS[node.name](self.budget, value, *given))

    def _filtered(self, node: nodes.Filter, scope: Scope, given: Any = None) -> Any:
        value = given if node.node is None else self._value(node.node, scope)
        more, named = self._arguments(node, scope)
        if node.name not in CHEAP:
            if not isinstance(value, Undefined):
                self.budget.look_at(value)
            for each in (*more, *named.values()):
                self.budget.look_at(each)
        elif node.name not in ("d", "default"):
            fail_if_undefined(value)
        try:
            return FILTERS[node.name](self.budget, value, *more, **named)
        except TypeError as error:
            if "argument" in str(error):
                raise TypeError(f"the filter “{node.name}” was not given what it takes") from error
            raise

    def _called(self, node: nodes.Call, scope: Scope, caller: Macro | None = None) -> Any:
        what = self._value(node.node, scope)
        if isinstance(what, Undefined) and isinstance(node.node, nodes.Getattr):
            raise TypeError(f"there is no “{node.node.attr}” to call here")
        fail_if_undefined(what)
        given, named = self._arguments(node, scope)
        if isinstance(what, Macro):
            return self._expanded(what, given, named, caller)
        if isinstance(what, Method):
            return what(self.budget, *given, **named)
        if isinstance(what, Loop):
            return what.again(*given)
        if isinstance(what, Helper):
            return what.call(*given)
        if what is range:
            return _range(self.budget, *given)
        if what is dict:
            self.budget.make(64 * (len(named) + sum(len(each) for each in given)))
            return dict(*given, **named)
        if isinstance(what, Callable) and not given and not named:  # type: ignore[arg-type]
            return self.budget.text(str(what()))
        raise TypeError(
            "only a macro, a method or a function of the template language can be called"
        )

    def _arguments(self, node: Any, scope: Scope) -> tuple[list[Any], dict[str, Any]]:
        given = [self._value(each, scope) for each in node.args]
        named = {each.key: self._value(each.value, scope) for each in node.kwargs}
        if node.dyn_args is not None:
            given += listed_items(self.budget, self._value(node.dyn_args, scope))
        if node.dyn_kwargs is not None:
            more = self._value(node.dyn_kwargs, scope)
            self.budget.look_at(more)
            named |= {str(key): value for key, value in more.items()}
        return given, named

    def _expanded(
        self, macro: Macro, given: list[Any], named: dict[str, Any], caller: Macro | None
    ) -> str:
        self._go_in()
        names: dict[str, Any] = {}
        inner = Scope(names, macro.scope)
        parameters = [each.name for each in macro.node.args]
        defaults = dict(zip(reversed(parameters), reversed(macro.node.defaults), strict=False))
        names.update(zip(parameters, given, strict=False))
        rest = dict(named)
        for name in parameters[len(given) :]:
            if name in rest:
                names[name] = rest.pop(name)
            elif name in defaults:
                names[name] = self._value(defaults[name], inner)
            else:
                names[name] = undefined(name)
        if caller is not None:
            names["caller"] = caller
        names["varargs"], names["kwargs"] = given[len(parameters) :], rest
        line = self._line
        text = self.budget.text(self._body(macro.node.body, inner))
        self._depth, self._line = self._depth - 1, line
        return text

    def _go_in(self) -> None:
        self._depth += 1
        if self._depth > DEEPEST_CALLS:
            raise CostsTooMuch(f"macros, fragments or loops go more than {DEEPEST_CALLS} deep")


def _arithmetic(budget: Budget, operator: str, left: Any, right: Any) -> Any:
    if operator == "*":
        for thing, times in ((left, right), (right, left)):
            if isinstance(thing, str | list | tuple) and isinstance(times, int):
                if len(thing) * times > MOST_REPEATED:
                    raise CostsTooMuch(
                        f"`*` may make at most {MOST_REPEATED:,} characters or items"
                    )
                budget.make((1 if isinstance(thing, str) else 16) * len(thing) * max(times, 0))
                return thing * times
        return budget.number(left * right)
    if operator == "+":
        if isinstance(left, str) and isinstance(right, str):
            budget.make(len(left) + len(right))
        elif isinstance(left, list | tuple) and isinstance(right, list | tuple):
            return budget.items([*left, *right])
        return budget.number(left + right)
    if operator == "**":
        if not (abs(left) <= 1_000_000 and abs(right) <= 100):
            raise CostsTooMuch("`**` is limited to small numbers")
        return budget.number(left**right)
    if operator == "%" and isinstance(left, str):
        raise TypeError("formatting with `%` is switched off; write {{ … }} instead")
    return budget.number(_PLAIN[operator](left, right))


_PLAIN: dict[str, Callable[[Any, Any], Any]] = {
    "-": lambda a, b: a - b,
    "/": lambda a, b: a / b,
    "//": lambda a, b: a // b,
    "%": lambda a, b: a % b,
}


def _range(budget: Budget, *ends: Any) -> range:
    found = range(*ends)
    if len(found) > MOST_REPEATED:
        raise CostsTooMuch(f"range may have at most {MOST_REPEATED:,} numbers")
    return found


def _in_words(error: Exception) -> str:
    if isinstance(error, ZeroDivisionError):
        return "division by zero"
    return str(error).strip("'\"") or type(error).__name__


GLOBALS: dict[str, Any] = {"range": range, "dict": dict}

STATEMENTS: dict[type[nodes.Node], Callable[[Filling, Any, Scope, list[str]], None]] = {
    nodes.Output: Filling._output,
    nodes.If: Filling._if,
    nodes.For: Filling._for,
    nodes.Assign: Filling._set,
    nodes.AssignBlock: Filling._set_block,
    nodes.With: Filling._with,
    nodes.FilterBlock: Filling._filter_block,
    nodes.Scope: Filling._scope_of_its_own,
    nodes.Block: Filling._scope_of_its_own,
    nodes.Macro: Filling._macro,
    nodes.CallBlock: Filling._call_block,
    nodes.Include: Filling._include,
}

EXPRESSIONS: dict[type[nodes.Node], Callable[[Filling, Any, Scope], Any]] = {
    nodes.Const: lambda self, node, scope: node.value,
    nodes.TemplateData: lambda self, node, scope: node.data,
    nodes.Name: lambda self, node, scope: scope.find(node.name),
    nodes.Getattr: lambda self, node, scope: attribute(self._value(node.node, scope), node.attr),
    nodes.Getitem: Filling._item,
    nodes.List: lambda self, node, scope: self._values(node.items, scope),
    nodes.Tuple: lambda self, node, scope: tuple(self._values(node.items, scope)),
    nodes.Dict: Filling._record,
    nodes.CondExpr: Filling._choice,
    nodes.And: Filling._both,
    nodes.Or: Filling._either,
    nodes.Not: lambda self, node, scope: not self._value(node.node, scope),
    nodes.Compare: Filling._compared,
    nodes.Concat: Filling._joined,
    nodes.Add: Filling._worked_out,
    nodes.Sub: Filling._worked_out,
    nodes.Mul: Filling._worked_out,
    nodes.Div: Filling._worked_out,
    nodes.FloorDiv: Filling._worked_out,
    nodes.Mod: Filling._worked_out,
    nodes.Pow: Filling._worked_out,
    nodes.Neg: Filling._signed,
    nodes.Pos: Filling._signed,
    nodes.Test: Filling._tested,
    nodes.Filter: Filling._filtered,
    nodes.Call: Filling._called,
}
