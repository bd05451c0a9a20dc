"""The templates of write-outs: Jinja2's sandbox, made narrower, with bounds on time and size and the trade's filters.

What a template may do: name what the view holds, choose and repeat by it, and put it through the filters below. It
reaches no attribute of anything but the view's records, and whatever grows or goes on without end is stopped.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

from jinja2 import StrictUndefined, Template, TemplateSyntaxError, nodes
from jinja2.compiler import CodeGenerator, Frame
from jinja2.exceptions import SecurityError, TemplateError, UndefinedError
from jinja2.nodes import Concat
from jinja2.runtime import LoopContext, Macro
from jinja2.sandbox import ImmutableSandboxedEnvironment
from jinja2.utils import Namespace

from octaplan.core.config.view import Leaf, Record, between_quotes
from octaplan.core.values.addresses import Address, Mac, Network, Span
from octaplan.core.values.errors import OctaplanError, RefusedError

#: What one part may take: characters of text, members of a list. How long it may take is for whoever has it done.
MOST_TEXT = 400_000
MOST_MEMBERS = 10_000

#: So many blocks stand in each other at most: reading more takes seconds.
MOST_NESTED = 40
_BLOCKS = re.compile(r"\{%[-+]?\s*(?P<ends>end)?(?:for|if|macro|call|filter|with)\b")


class TemplateFault(RefusedError):
    """A template that cannot be used; `line` is where, from 1."""

    def __init__(self, message: str, line: int) -> None:
        super().__init__(message)
        self.line = line


class _TooLong(Exception):
    pass


# --- Filters


def _each(make: Callable[..., Any]) -> Callable[..., Any]:
    """A filter of plain values as one of leaves: what it makes comes from the same place in the plan."""

    def filter_(value: Any, *args: Any, **named: Any) -> Any:
        if isinstance(value, Leaf):
            beside = [one for one in args if isinstance(one, Leaf)]
            return value if value.value is None else value.made(make(value.value, *args, **named), beside)
        return make(value, *args, **named)

    filter_.__name__ = make.__name__.strip("_")
    filter_.__doc__ = make.__doc__
    return filter_


def _network(value: Any) -> Network:
    if not isinstance(value, Network):
        raise FilterError(f"{value} is no subnet")
    return value


class FilterError(Exception):
    """A filter was given something that it cannot do."""


def _mask(value: Any) -> str:
    """The mask of a subnet: `255.255.255.0`."""
    return str(_network(value).mask)


def _wildcard(value: Any) -> str:
    """The wildcard mask of a subnet: `0.0.0.255`."""
    net = _network(value)
    return str(Address(net.family, net.size - 1))


def _prefix(value: Any) -> int:
    """The prefix length of a subnet: `24`."""
    return _network(value).prefix


def _first(value: Any) -> Any:
    """The first usable address of a subnet, the first of a range, the first of a list."""
    if isinstance(value, Network):
        return value.usable.first
    return value.first if isinstance(value, Span) else next(iter(value))


def _last(value: Any) -> Any:
    """The last usable address of a subnet, the last of a range, the last of a list."""
    if isinstance(value, Network):
        return value.usable.last
    return value.last if isinstance(value, Span) else [*value][-1]


def _nth(value: Any, number: int) -> Address:
    """The usable address number so many of a subnet or range, from 1; from the end with a minus."""
    run = value.usable if isinstance(value, Network) else value
    if not isinstance(run, Span) or not 1 <= abs(int(number)) <= run.size:
        raise FilterError(f"{value} has no address number {number}")
    return run.first.plus(number - 1) if number > 0 else run.last.plus(number + 1)


def _at(value: Any) -> Address:
    """The address of a subnet itself: `10.40.8.0`."""
    return _network(value).first


def _broadcast(value: Any) -> Address:
    """The broadcast address of a subnet: `10.40.8.255`."""
    net = _network(value)
    return Address(net.family, net.value + net.size - 1)


def _host_part(value: Any, subnet: Any) -> int:
    """The number of an address within a subnet: `17` for 10.40.8.17 in 10.40.8.0/24."""
    net = _network(subnet.value if isinstance(subnet, Leaf) else subnet)
    if not isinstance(value, Address) or not net.holds(value):
        raise FilterError(f"{value} is no address of {net}")
    return value.value - net.value


def _range(value: Any, between: str = "-") -> str:
    """A range by its ends: `10.40.8.100-10.40.8.199`, with something else between them if wanted."""
    if not isinstance(value, Span):
        raise FilterError(f"{value} is no range")
    return f"{value.first}{between}{value.last}"


def _count(value: Any) -> int:
    """How many addresses a range or subnet has, or members a list."""
    if isinstance(value, Span):
        return value.size
    return value.usable.size if isinstance(value, Network) else len([*value])


def _within(value: Any, subnet: Any) -> str:
    """An address with the prefix length of its subnet: `10.40.8.1/24`."""
    net = subnet.value if isinstance(subnet, Leaf) else subnet
    length = net.prefix if isinstance(net, Network) else int(net)
    return f"{value}/{length}"


def _mac(value: Any, between: str = ":", group: int = 2, upper: bool = False) -> str:
    """A MAC in another notation: `mac('-')`, `mac('.', 4)`, `mac('')`."""
    if not isinstance(value, Mac):
        raise FilterError(f"{value} is no MAC")
    digits = f"{value.value:012x}"
    told = between.join(digits[at : at + group] for at in range(0, 12, group))
    return told.upper() if upper else told


def _port(value: Any) -> str:
    """The ports of a service, without its protocol: `443` of `tcp/443`."""
    return str(value).partition("/")[2] or str(value)


def _protocol(value: Any) -> str:
    """The protocol of a service, without its ports: `tcp` of `tcp/443`."""
    return str(value).partition("/")[0]


def _quoted(value: Any, quote: str = '"', escape: str = "\\") -> Any:
    """Between quotes, with those inside escaped: `quoted("'")`; secrets too, once they are shown."""
    if len(str(quote)) > 4 or len(str(escape)) > 4:
        raise FilterError("a quote and what escapes it have at most 4 characters")
    if isinstance(value, Leaf):
        return value if value.value is None else value.quoted(quote, escape)
    return _bounded(between_quotes(str(value), quote, escape))


def _join(values: Iterable[Any], between: str = "") -> str:
    """The members of a list, with something between them."""
    told, size = [], 0
    for value in values:
        told.append(str(value))
        size += len(told[-1]) + len(str(between))
        if size > MOST_TEXT + len(str(between)):
            raise _TooLong(f"it writes more than {MOST_TEXT:,} characters")
    return str(between).join(told)


def _upper(value: Any) -> str:
    """In capital letters."""
    return str(value).upper()


def _lower(value: Any) -> str:
    """In small letters."""
    return str(value).lower()


def _replace(value: Any, old: str, new: str) -> str:
    """With one piece of text in place of another."""
    text, old, new = str(value), str(old), str(new)
    if not old:
        return text
    if len(text) + text.count(old) * (len(new) - len(old)) > MOST_TEXT:
        raise _TooLong(f"it writes more than {MOST_TEXT:,} characters")
    return text.replace(old, new)


def _dashed(value: Any, by: str = "-") -> str:
    """Words as one name, for boxes that take no blanks: `Back-office`."""
    return _join("".join(c if c.isalnum() else " " for c in str(value)).split(), by)


def _default(value: Any, other: Any = "") -> Any:
    """Something else where there is no value."""
    empty = value is None or (isinstance(value, Leaf) and value.value is None and not value.secret)
    return other if empty else value


#: What templates may put values through: the rest of Jinja's filters is out of reach.
FILTERS: dict[str, Callable[..., Any]] = {
    "mask": _each(_mask),
    "wildcard": _each(_wildcard),
    "prefix": _each(_prefix),
    "network": _each(_at),
    "broadcast": _each(_broadcast),
    "first": _each(_first),
    "last": _each(_last),
    "nth": _each(_nth),
    "host_part": _each(_host_part),
    "within": _each(_within),
    "range": _each(_range),
    "count": _each(_count),
    "mac": _each(_mac),
    "ports": _each(_port),
    "protocol": _each(_protocol),
    "quoted": _quoted,
    "upper": _each(_upper),
    "lower": _each(_lower),
    "replace": _each(_replace),
    "dashed": _each(_dashed),
    "default": _default,
    "join": _join,
}


# --- The sandbox


def _bounded(text: str) -> str:
    if len(text) > MOST_TEXT:
        raise _TooLong(f"it writes more than {MOST_TEXT:,} characters")
    return text


def _concat(parts: Iterable[str]) -> str:
    held: list[str] = []
    size = 0
    for part in parts:
        size += len(part)
        if size > MOST_TEXT:
            raise _TooLong(f"it writes more than {MOST_TEXT:,} characters")
        held.append(part)
    return "".join(held)


class _Generator(CodeGenerator):
    def visit_Concat(self, node: Concat, frame: Frame) -> None:
        self.write("environment.put_together((")
        for arg in node.nodes:
            self.visit(arg, frame)
            self.write(", ")
        self.write("))")


class _Sandbox(ImmutableSandboxedEnvironment):
    code_generator_class = _Generator
    concat = staticmethod(_concat)
    intercepted_binops = frozenset({"*", "**", "+", "%"})

    @staticmethod
    def put_together(parts: Iterable[Any]) -> str:
        return _concat(map(str, parts))

    def is_safe_attribute(self, obj: Any, attr: str, value: Any) -> bool:
        return isinstance(obj, LoopContext | Namespace) and not attr.startswith("_")

    def is_safe_callable(self, obj: Any) -> bool:
        return isinstance(obj, Macro) or obj in (_numbers, Namespace) or isinstance(obj, LoopContext)

    def getattr(self, obj: Any, attribute: str) -> Any:
        if isinstance(obj, Record):
            return obj.member(attribute)
        if isinstance(obj, Leaf):
            raise KeyError(f"a value has no {attribute}: write the value itself, or put it through a filter")
        return super().getattr(obj, attribute)

    def getitem(self, obj: Any, argument: Any) -> Any:
        if isinstance(obj, Record):
            return obj.member(str(argument))
        return super().getitem(obj, argument)

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        numbers = [one.value if isinstance(one, Leaf) else one for one in (left, right)]
        if all(isinstance(one, int) and abs(one) < 1 << 40 for one in numbers) and operator != "**":
            return super().call_binop(context, operator, *numbers)
        if operator == "+" and all(isinstance(one, list) for one in numbers):
            if sum(map(len, numbers)) > MOST_MEMBERS:
                raise _TooLong(f"it makes a list of more than {MOST_MEMBERS:,}")
            return [*left, *right]
        raise SecurityError(f"{operator} is for numbers: texts are put together with ~")


def _numbers(*args: int) -> range:
    """Numbers to repeat by."""
    found = range(*args)
    if len(found) > MOST_MEMBERS:
        raise _TooLong(f"it counts to more than {MOST_MEMBERS:,}")
    return found


def _open(value: Any) -> Any:
    """What is put into the text for a value."""
    if value is None:
        raise FilterError("nothing is here to be written")
    if isinstance(value, Record):
        raise FilterError("this stands for several values: name one of them")
    return value if isinstance(value, Leaf) else str(value)


def _made() -> _Sandbox:
    made = _Sandbox(
        undefined=StrictUndefined,
        finalize=_open,
        trim_blocks=True,
        lstrip_blocks=True,
        autoescape=False,
        optimized=False,  # what is constant is worked out where it is bounded, not while the template is read
        keep_trailing_newline=True,
    )
    made.filters = dict(FILTERS)
    made.globals = {"range": _numbers, "namespace": Namespace}
    return made


_SANDBOX = _made()


def parsed(source: str) -> nodes.Template:
    """A template as the tree of what it writes. Raises `TemplateSyntaxError`."""
    return _SANDBOX.parse(source)


def read(source: str) -> Template:
    """Read a template; raises `TemplateFault` with the line that cannot be read."""
    depth = 0
    for block in _BLOCKS.finditer(source):
        depth += -1 if block["ends"] else 1
        if depth > MOST_NESTED:
            line = source.count("\n", 0, block.start()) + 1
            raise TemplateFault(f"More than {MOST_NESTED} blocks stand in each other: write it with fewer", line)
    try:
        return _SANDBOX.from_string(source)
    except TemplateSyntaxError as error:
        raise TemplateFault(_sentence(error.message or "this cannot be read"), error.lineno) from None
    except (TemplateError, RecursionError, SyntaxError, OverflowError, MemoryError) as error:
        raise TemplateFault(_sentence(str(error) or "this cannot be read"), 1) from None


def write(template: Template, names: dict[str, Any]) -> str:
    """Fill a template in; raises `TemplateFault` with the line at which it fails or grows without end."""
    try:
        return _concat(template.generate(names))
    except (UndefinedError, KeyError) as error:
        raise TemplateFault(_sentence(str(error.args[0] if error.args else error)), _line(error)) from None
    except (
        _TooLong,
        FilterError,
        OctaplanError,
        TemplateError,
        TypeError,
        ValueError,
        ArithmeticError,
        RecursionError,
    ) as error:
        told = "it calls itself again and again" if isinstance(error, RecursionError) else str(error)
        raise TemplateFault(_sentence(told), _line(error)) from None
    except (StopIteration, LookupError, AttributeError, MemoryError) as error:
        raise TemplateFault(_sentence(str(error) or "nothing is here to be written"), _line(error)) from None


def _line(error: BaseException) -> int:
    """The line of the template at which something failed: Jinja tells it as that of a file `<template>`."""
    line, trace = 1, error.__traceback__
    while trace is not None:
        if trace.tb_frame.f_code.co_filename == "<template>":
            line = trace.tb_lineno
        trace = trace.tb_next
    return line


def _sentence(text: str) -> str:
    text = text.strip().removesuffix(".")
    return text[:1].upper() + text[1:300]
