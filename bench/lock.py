"""Write the lock files from what is installed: what the product needs, and what developing it needs besides."""

from __future__ import annotations

import re
from importlib.metadata import distribution, requires
from pathlib import Path


def closure(names: list[str], seen: dict[str, str]) -> dict[str, str]:
    """All distributions that names need, with their versions."""
    for name in names:
        key = re.sub(r"[-_.]+", "-", name).lower()
        if key in seen:
            continue
        found = distribution(name)
        seen[key] = found.version
        needs = [line for line in found.requires or [] if "extra ==" not in line]
        closure([re.split(r"[\s\[<>=!~;(]", line)[0] for line in needs if applies(line)], seen)
    return seen


def applies(line: str) -> bool:
    """Whether a requirement's marker holds here."""
    from packaging.requirements import Requirement

    marker = Requirement(line).marker
    return marker is None or marker.evaluate()


def main() -> None:
    """Write both files."""
    wanted = requires("yaila") or []
    name = re.compile(r"^[A-Za-z0-9_.-]+")
    run = closure([name.match(line)[0] for line in wanted if "extra ==" not in line], {})
    dev = closure([name.match(line)[0] for line in wanted if "extra ==" in line], dict(run))
    write("requirements.lock", run)
    write("requirements-dev.lock", {key: version for key, version in dev.items() if key not in run})


def write(file: str, versions: dict[str, str]) -> None:
    """One line a distribution."""
    lines = [f"{key}=={version}\n" for key, version in sorted(versions.items())]
    Path(file).write_text("".join(lines), "utf-8")


if __name__ == "__main__":
    main()
