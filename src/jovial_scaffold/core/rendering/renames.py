"""Old addresses of what is rendered now: what `renames` and `$formerly` say, of a template and of all modules that it uses."""

from collections.abc import Collection, Container, Iterable, Iterator, Sequence

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.templates.renaming import Chain
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import say


class Renames:
    """What was renamed, as one environment says."""

    def __init__(self, scope: Surroundings) -> None:
        entries = list(self._pairs(scope))
        self._chain = Chain((old, new) for old, new, _ in entries)
        self._origins = {(old, new): origin for old, new, origin in reversed(entries)}

    def __bool__(self) -> bool:
        return bool(self._chain)

    def followed(self, address: str, there: Container[str]) -> str | None:
        """Where something is now that was at an address; None where nothing says so. `there` are the addresses that are rendered."""
        if address in there:
            return None
        return next((each for each in self._chain.steps(address) if each in there), None)

    def before(self, address: str) -> list[str]:
        """The addresses that something may have had before, the latest first."""
        return list(self._chain.back(address))

    def after(self, address: str) -> list[str]:
        """The addresses that something may have now, the next ones first."""
        return list(self._chain.ahead(address))

    def entry(self, before: str, address: str) -> Origin | None:
        """The entry by which something came to an address."""
        last = [(old, origin) for (old, new), origin in self._origins.items() if f"{address}/".startswith(f"{new}/")]
        whole = (origin for old, origin in last if f"{before}/".startswith(f"{old}/"))
        return next(whole, last[0][1] if last else None)

    def _pairs(self, scope: Surroundings) -> Iterator[tuple[str, str, Origin]]:
        stack = [scope]
        while stack:
            scope = stack.pop()
            if not renames_anything(scope.template):
                continue
            for each in scope.template.renames:
                yield f"{scope.prefix}{each.old}", f"{scope.prefix}{each.new}", each.origin
            for resource in scope.template.resources.values():
                if resource.formerly:
                    yield f"{scope.prefix}{resource.formerly}", f"{scope.prefix}{resource.name}", resource.origin
                if resource.module is not None and renames_anything(resource.module.template):
                    stack += [each.inside for each in (scope.instances(resource) or {}).values() if each.inside is not None]


def renames_anything(template: Template) -> bool:
    """Whether a template, or a module that it uses, renames anything."""
    seen = [template]
    for each in seen:
        if each.renames or any(resource.formerly for resource in each.resources.values()):
            return True
        seen += [module.template for module in each.modules() if module.template not in seen]
    return False


def newest(address: str, column: Container[str], others: Sequence[tuple[Renames, Container[str]]]) -> str:
    """The address that something has now which one rendering, `column`, calls by an address; `others` are all renderings, in any order."""
    for _ in others:
        for renames, there in others:
            following = renames.followed(address, there)
            if following is not None and following not in column:
                address = following
                break
        else:
            return address
    return address


def needless(template: Template, modules: Iterable[Template], running: Collection[str]) -> Iterator[Finding]:
    """Notes on entries of `renames` that nothing needs of what runs, given by address. Those of modules are relative to uses: there, any
    address that an entry may be about needs it."""
    chain = Chain((each.old, each.new) for each in template.renames)
    passed = {f"{step}/" for address in running for step in (address, *chain.steps(address))}
    entries = [each for each in template.renames if not any(step.startswith(f"{each.old}/") for step in passed)]
    for module in modules:
        entries += [each for each in module.renames if not any(f"/{each.old}/" in f"/{address}/" for address in running)]
    for each in entries:
        message = say("Nothing runs at {} any more, which was renamed to {}.", each.old, each.new)
        yield Finding("rename-needless", "note", message, each.origin.key_span(), say("Take the entry out."))
