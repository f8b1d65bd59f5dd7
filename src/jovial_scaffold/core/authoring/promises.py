"""What a change of files promises, shown before anything is written: the project is read again as it would be, and compared."""

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.templates.model import Constant
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Counted, Sentence, say

_NOTHING: Any = object()


class Refused(ProjectError):
    """A change that is not made, with the project whose lines show why: it knows which of them hold something secret."""

    def __init__(self, findings: list[Finding], project: Project) -> None:
        super().__init__(findings)
        self.project = project


def broken(message: Sentence) -> ProjectError:
    """Nothing is written, and this is why."""
    hint = say("Nothing was written. Please change the file by hand.")
    return ProjectError([Finding("promise-broken", "error", message, None, hint)])


def wrong_then(then: Project, findings: list[Finding]) -> ProjectError:
    """Nothing is written, since that would be wrong in the project as it would be; lines are those of then."""
    hint = say("Nothing was written. What is said below would be found, at the lines that there would be then.")
    first = Finding("promise-broken", "error", say("The change would bring {}.", Counted(len(findings), "error")), None, hint)
    return Refused([first, *findings], then)


def after(project: Project, change: Change) -> Project:
    """The project as it would be. Raises ProjectError where it could not be used then."""
    return project.edited(change.files())


def keeps_parameters(before: Project, then: Project, but: Iterable[tuple[str, str]] = ()) -> None:
    """Every environment has the same parameters, `but` for some of some. Raises ProjectError, which names the first that has not."""
    changing = set(but)
    for environment in before.environments:
        for name in _differing(before, then, environment):
            if (environment, name) not in changing:
                raise broken(say("`{}` of {} would not be what it is.", name, environment))


def _differing(before: Project, then: Project, environment: str) -> Iterator[str]:
    old, new = _values(before, environment), _values(then, environment)
    for name in sorted({*old, *new}):
        was, becomes = old.get(name, _NOTHING), new.get(name, _NOTHING)
        if was is UNKNOWN and becomes is UNKNOWN:
            continue
        if was is _NOTHING or becomes is _NOTHING or not same(was, becomes):
            yield name


def _values(project: Project, environment: str) -> dict[str, Any]:
    """What the parameters of an environment are, those with a default that is written out, too."""
    parameters = project.parameters_of(environment)
    found = {name: value for name, value in parameters.values.items() if name not in parameters.defaulted}
    for name, declaration in project.template.parameters.items():
        if name not in found and isinstance(declaration.default, Constant):
            found[name] = declaration.default.value
    return found


def adds_no_errors(
    before: Project, then: Project, but: Callable[[Finding], bool] = lambda finding: False, names_change: bool = False
) -> None:
    """A check finds no error that it did not find before, `but` some. Where `names_change`, which sentences hold, it finds no more of a kind.
    Raises ProjectError with those."""

    def known_by(finding: Finding) -> tuple[str, ...]:
        return (finding.id,) if names_change else (finding.id, finding.message.key)

    found = [each for each in then.check().findings if each.level == "error" and not but(each)]
    if not found:
        return
    known = Counter(known_by(each) for each in before.check().findings if each.level == "error")
    more = Counter(map(known_by, found)) - known
    added = [each for each in found if known_by(each) in more]
    if added:
        raise wrong_then(then, added)


def keeps_renderings(before: Project, then: Project) -> None:
    """Every environment renders the same. Raises ProjectError, which names the first resource or output that is not the same."""
    for environment in before.environments:
        stays(environment, before.render(environment), then.render(environment))


Alike = Callable[[Any, Any], bool]
_NONE: Mapping[str, str] = {}


def stays(
    environment: str,
    was: Rendering,
    becomes: Rendering,
    moved: Mapping[str, str] = _NONE,
    names: Mapping[str, str] = _NONE,
    alike: Alike = same,
) -> None:
    """A rendering is what it was, with what has `moved` at its new address (by the old one), outputs and documents under new `names`, and values
    that are `alike`. Raises ProjectError, which names the first that is not."""
    addresses = {moved.get(each, each): each for each in was.resources}
    if addresses.keys() != becomes.resources.keys():
        odd = min(addresses.keys() ^ becomes.resources.keys())
        raise broken(say("{} of {} would be there, or not, as it is not now.", odd, environment))
    readdress = _readdressing({old: new for new, old in addresses.items() if new != old})
    for address, each in addresses.items():
        before, now = was.resources[each].properties, becomes.resources[address].properties
        if not alike(before, now) and not alike(readdress(before), now):  # most of them read nothing that has moved
            raise broken(say("{} of {} would not be what it is.", each, environment))
    outputs = {names.get(name, name): readdress(value) for name, value in was.outputs.items()}
    if not alike(outputs, dict(becomes.outputs)):
        raise broken(say("The outputs of {} would not be what they are.", environment))
    texts = {names.get(name, name): [each.to, readdress(each.compared)] for name, each in was.documents.items()}
    if not alike(texts, {name: [each.to, each.compared] for name, each in becomes.documents.items()}):
        raise broken(say("The documents of {} would not be what they are.", environment))


def _readdressing(newest: Mapping[str, str]) -> Callable[[Any], Any]:
    """What a value is once what is pending in it has new addresses."""
    if not newest:
        return lambda value: value
    from jovial_scaffold.core.changes.matrix import with_names  # only who moves something needs it

    return lambda value: _readdressed(value, newest) if isinstance(value, str) else with_names(value, newest)


def _readdressed(text: str, newest: Mapping[str, str]) -> str:
    """The compared text of a document, in which what is pending stands by its address."""
    for old, new in newest.items():
        text = re.sub(rf"(‹|\\u2039|\\u0001){re.escape(old)}:", lambda match, new=new: f"{match[1]}{new}:", text)  # type: ignore[misc]
    return text
