"""Figures in the open text exposition format for monitoring (OpenMetrics 1.0, of which this is the plain part)."""

from collections.abc import Iterable, Mapping

from adzeguard.core.views.figure import Figure

_ESCAPED = {"\\": r"\\", '"': r"\"", "\n": r"\n"}


def exposed(figures: Iterable[Figure]) -> str:
    """Return the text. A figure without values is left out, since nothing can be said of it."""
    lines: list[str] = []
    for figure in figures:
        if figure.samples:
            lines += [f"# HELP {figure.name} {figure.words}", f"# TYPE {figure.name} gauge"]
            lines += [f"{figure.name}{_labels(sample.labels)} {_number(sample.value)}" for sample in figure.samples]
    return "\n".join([*lines, ""])


def _labels(labels: Mapping[str, str]) -> str:
    inside = ",".join(f'{name}="{_escaped(value)}"' for name, value in sorted(labels.items()))
    return f"{{{inside}}}" if inside else ""


def _escaped(text: str) -> str:
    return "".join(_ESCAPED.get(letter, letter) for letter in text)


def _number(value: float) -> str:
    return str(int(value)) if float(value).is_integer() else repr(float(value))
