"""Running a recipe: flows through its steps, checkpoints to look at, files that are written."""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, Protocol

from brisk_atlas.core.connect.table_names import names_in
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.scratch import ScratchFolder

from .checkpoints import Checkpoint, CheckpointStore, Rejects, StepAccount, metered, stored_flow, stored_path
from .flows import Flow, GridFlow, RowFlow
from .formats import WrittenFile, table_in
from .look_ahead import LookAhead, look_ahead
from .recipe import BadRecipe, Branch, Recipe, RecipeStep, filled
from .record_handed import RecordPlan, record_of_source
from .step import BadStep, Step, StepContext
from .steps.records import RecordStep, tried
from .steps.write import WriteStep

Report = Callable[[float, str], None]


class Sources(Protocol):
    """Where the data of a recipe comes from beside its own branches."""

    def flow(self, source: str | DataRef, *, sampled: bool) -> Flow:
        """Return the flow of an open layer or of a dataset. Raises AtlasError."""

    def state(self, source: str | DataRef) -> str:
        """Return what tells that a source changed."""

    def count(self, source: str | DataRef) -> int | None:
        """Return how many rows, cells or points a source has; None where that is not known."""


@dataclass(frozen=True)
class BranchRun:
    """What came of a branch: an account of its source and one of each step that is not off, and what was written."""

    branch: str
    accounts: tuple[StepAccount, ...]
    written: tuple[WrittenFile, ...] = ()

    def as_json(self) -> dict[str, Any]:
        return {
            "branch": self.branch,
            "steps": [account.as_json() for account in self.accounts],
            "written": [each.as_json() for each in self.written],
        }


class RecipeRun:
    """One run of a recipe, with values of its parameters.

    sampled : on some of the rows, larger cells and some of the points, for a look ahead
    stored : the checkpoints of earlier runs by what they came of; a step that changed runs anew from there only.
        Where None, nothing is stored and rows that are rejected are counted alone.
    """

    def __init__(
        self,
        recipe: Recipe,
        sources: Sources,
        values: Mapping[str, Any] = {},
        *,
        sampled: bool = False,
        stored: CheckpointStore | None = None,
        check: Callable[[], None] = lambda: None,
    ) -> None:
        recipe.check()
        self.recipe, self.sources, self.values = recipe, sources, recipe.values(values)
        self.sampled, self.stored, self.check = sampled, stored, check
        self.ended: Callable[[str, Flow], Flow] = lambda name, flow: (
            flow
        )  # what a branch ends with, in place of its flow
        self._scratch: ScratchFolder | None = None

    def __enter__(self) -> RecipeRun:
        return self

    def __exit__(self, *_: object) -> None:
        if self._scratch is not None:
            self._scratch.delete()

    @property
    def scratch(self) -> Path:
        """A folder for what does not fit in memory, which goes with the run."""
        if self._scratch is None:
            self._scratch = ScratchFolder()
        return self._scratch.path

    # Looking at steps

    def checkpoints(self, name: str) -> Iterator[Checkpoint]:
        """Yield the checkpoint of the source of a branch and of each step that is not off, computed and stored; it ends
        after a step that fails, whose error its account has."""
        assert self.stored is not None
        branch = self.branch(name)
        before: Checkpoint | None = None
        for number, digest in enumerate(self._digests(branch)):
            self.check()
            found = self.stored.get(digest)
            if found is None:
                found = self._checkpoint(branch, number, before, digest)
                if found.account.error is None:
                    self.stored.put(digest, found)
            yield found
            if found.account.error is not None:
                return
            before = found

    def _checkpoint(self, branch: Branch, number: int, before: Checkpoint | None, digest: str) -> Checkpoint:
        assert self.stored is not None
        account = StepAccount(_label(branch, number))
        rejects: Rejects | None = None
        try:
            if before is None or before.flow is None:
                flow: Flow = self._source(branch)
                account = StepAccount(flow.name)
            else:
                step = self._steps(branch)[number - 1].made(self.values)
                account.label = step.label
                if isinstance(step, WriteStep):
                    step.check(before.flow)
                    account.count_in = account.count_out = before.account.count_out
                    account.warnings += [loss.text for loss in step.losses(before.flow)]
                    return replace(before, account=account, rejected=None, rejected_path=None)
                elif isinstance(step, RecordStep):
                    made = [each.made(self.values) for each in self._steps(branch)[:number]]
                    edits = [each for each in made if isinstance(each, RecordStep)]
                    source = before.flow.source
                    tried(edits, record_of_source(source, before.flow.name), self._context(account, None).warn)
                    account.count_in = account.count_out = before.account.count_out
                    return replace(before, account=account, rejected=None, rejected_path=None)
                else:
                    like = before.flow if isinstance(before.flow, RowFlow) else None
                    rejects = Rejects(account, like, self.stored.path(digest, "left-out.parquet"))
                    flow = self._stepped(step, before.flow, account, rejects)
            seen = metered(flow, account, before.account if before else None)
            path = self.stored.path(digest, "result")
            flow = stored_flow(seen, path, self.check)
        except AtlasError as error:
            account.error = error
            return Checkpoint(account, None)
        left_out = rejects.flow() if rejects else None
        away = self.stored.path(digest, "left-out.parquet") if left_out is not None else None
        return Checkpoint(account, flow, left_out, stored_path(flow, path), away)

    def outlooks(self, name: str, seen: list[Checkpoint]) -> Iterator[tuple[int, LookAhead | None, str]]:
        """Yield each step of a branch that writes, by its place, with what it would write; else why it can't."""
        total = self.sources.count(filled(self.branch(name).source, self.values)) if self.sampled else None
        for at, each in enumerate(self.branch(name).steps):
            if each.off or each.do != WriteStep.word:
                continue
            try:
                step = each.made(self.values)
                assert isinstance(step, WriteStep)
                step.check_record(self.plan(self.branch(name)))
                yield at, look_ahead(step, seen, total, self._context(StepAccount(step.label), None)), ""
            except AtlasError as error:
                yield at, None, str(error)

    # Running to the end

    def flow(self, name: str, accounts: list[StepAccount] | None = None) -> Flow:
        """Return what comes of a branch before it is written; `accounts` gets one of its source and of each step.
        Raises AtlasError."""
        branch = self.branch(name)
        flow = self._source(branch)
        account = StepAccount(flow.name)
        before, flow = account, metered(flow, account, None)
        if accounts is not None:
            accounts.append(account)
        for each in self._steps(branch):
            step = each.made(self.values)
            if isinstance(step, WriteStep):
                break
            account = StepAccount(step.label)
            rejects = Rejects(account, None, None)
            flow = metered(self._stepped(step, flow, account, rejects), account, before)
            before = account
            if accounts is not None:
                accounts.append(account)
        return self.ended(name, flow)

    def write(self, report: Report = lambda share, step: None) -> list[BranchRun]:
        """Run every branch that writes; returns what came of each. Raises AtlasError, of BadRecipe where none does."""
        writing = [branch for branch in self.recipe.branches if self.write_steps(branch)]
        if not writing:
            raise BadRecipe(self.recipe.title, tr("nothing is written"), tr("Add the step “Write” at the end."))
        runs = []
        for number, branch in enumerate(writing):
            accounts: list[StepAccount] = []
            flow = self.flow(branch.name, accounts)
            written: list[WrittenFile] = []
            steps = self.write_steps(branch)
            if len(steps) > 1 and not isinstance(flow, GridFlow):  # so that what comes is computed once
                flow = stored_flow(flow, self.scratch / f"branch {number}", self.check)
            for place, step in enumerate(steps):
                base, share = (number + place / len(steps)) / len(writing), 1 / len(writing) / len(steps)
                account = StepAccount(step.label)
                start, before = time.perf_counter(), sum(each.seconds for each in accounts)
                reported = partial(_reported, report, base, share)
                made = step.write(flow, self._context(account, None), reported, self.plan(branch))
                spent = time.perf_counter() - start
                account.seconds = max(0.0, spent - (sum(each.seconds for each in accounts) - before))
                account.count_in = account.count_out = sum(each.count for each in made)
                written += made
                accounts.append(account)
            runs.append(BranchRun(branch.name, tuple(accounts), tuple(written)))
        return runs

    # Pieces

    def branch(self, name: str) -> Branch:
        """Return a branch by its name. Raises BadRecipe."""
        branch = self.recipe.branch(name)
        if branch is None:
            names = ", ".join(each.name for each in self.recipe.branches)
            raise BadRecipe(
                self.recipe.title, tr("there is no branch {name}", name=name), tr("There are: {names}.", names=names)
            )
        return branch

    @staticmethod
    def _steps(branch: Branch) -> list[RecipeStep]:
        return [step for step in branch.steps if not step.off]

    def plan(self, branch: Branch) -> RecordPlan:
        """Return how the record of what a branch writes comes about: its source and its steps in words, but those that
        write, and those that change the record. Raises BadStep."""
        steps = [each.made(self.values) for each in self._steps(branch)]
        named = [f"{step.label}: {step.summary}" if step.summary else step.label for step in steps
                 if not isinstance(step, WriteStep | RecordStep)]  # fmt: skip
        edits = tuple(step for step in steps if isinstance(step, RecordStep))
        return RecordPlan((tr("From {filled}", filled=filled(branch.source, self.values)), *named), edits)

    def write_steps(self, branch: Branch) -> list[WriteStep]:
        """Return the steps of a branch that write. Raises BadStep."""
        steps = [each.made(self.values) for each in self._steps(branch) if each.do == WriteStep.word]
        return [step for step in steps if isinstance(step, WriteStep)]

    def _source(self, branch: Branch) -> Flow:
        return self._flow_of(branch.source)

    def _flow_of(self, source: str | DataRef) -> Flow:
        """Return the flow of a source: another branch, an open layer or a dataset."""
        source = filled(source, self.values)
        if isinstance(source, str) and self.recipe.branch(source) is not None:
            return self.flow(source) if self.stored is None else self._stored_end(source)
        if source == "":
            raise BadRecipe(
                self.recipe.title, tr("no source is given"), tr("Choose a layer or a dataset as the source.")
            )
        return self.sources.flow(source, sampled=self.sampled)

    def _stored_end(self, name: str) -> Flow:
        *_, last = self.checkpoints(name)
        if last.account.error is not None or last.flow is None:
            raise BadStep(
                name, tr("the branch fails at “{label}”", label=last.account.label), str(last.account.error or "")
            )
        return replace(last.flow, name=name)

    def _stepped(self, step: Step, flow: Flow, account: StepAccount, rejects: Rejects) -> Flow:
        if flow.kind not in step.takes:
            kinds = " or ".join(sorted(kind.value for kind in step.takes))
            raise BadStep(
                step.label,
                tr("it works on {kinds}, and this is a {kind}", kinds=kinds, kind=flow.kind),
                tr("Leave the step out."),
            )
        return step.flow(flow, self._context(account, rejects))

    def _context(self, account: StepAccount, rejects: Rejects | None) -> StepContext:
        return StepContext(self._flow_of, self.scratch, self.check, rejects, account.warnings)

    def _digests(self, branch: Branch) -> list[str]:
        """Return what tells the results of the source and of each step of a branch from all others."""
        chain = [f"{self.sampled}", self._state(branch.source)]
        digests = [_hash(chain)]
        for step in self._steps(branch):
            stored = filled({k: v for k, v in step.as_json().items() if k != "comment"}, self.values)
            kind = _kind_of(step)
            sources = [filled(step.settings.get(name), self.values) for name in kind] if kind else []
            flat = [each for one in sources for each in (one if isinstance(one, list) else [one]) if each is not None]
            chain += [json.dumps(stored, sort_keys=True, default=str), *(self._state(each) for each in flat)]
            chain.append(_template_state(stored.get("template")))
            digests.append(_hash(chain))
        return digests

    def _state(self, source: Any) -> str:
        source = filled(source, self.values)
        if isinstance(source, dict):
            source = DataRef.from_json(source)
        if isinstance(source, str) and (branch := self.recipe.branch(source)) is not None:
            return self._digests(branch)[-1]
        try:
            return f"{source} {self.sources.state(source)}"
        except AtlasError:
            return str(source)


def _template_state(template: Any) -> str:
    """Return what tells that the file of a record template changed, "" without one."""
    try:
        about = Path(template).expanduser().stat() if isinstance(template, str) and template else None
    except OSError:
        return ""
    return f"{about.st_mtime_ns} {about.st_size}" if about is not None else ""


def check_targets(recipe: Recipe, sources: Iterable[DataRef]) -> None:
    """Raise BadRecipe where a recipe would write to a dataset that it is read from, or that is among `sources`:
    originals are read-only."""
    own = [branch.source for branch in recipe.branches if isinstance(branch.source, DataRef)]
    places = {target_of(ref) for ref in (*own, *sources)}
    for target in targets(recipe, {}):
        if target in places:
            raise BadRecipe(target, tr("it is a source, and originals are read-only"), tr("Choose another name."))


def targets(recipe: Recipe, values: Mapping[str, Any]) -> list[Path | DataRef]:
    """Return the files and tables that a run writes, as far as their names are known."""
    known = recipe.values(values)
    found: list[Path | DataRef] = []
    for branch in recipe.branches:
        for step in branch.steps:
            if step.do == WriteStep.word and not step.off:
                text = str(filled(step.settings.get("path", ""), known))
                table = table_in(text)
                found.append(Path(text).expanduser().resolve() if table is None else target_of(table))
    return found


def target_of(ref: DataRef) -> Path | DataRef:
    """Return what a dataset is called where files and tables that are written are compared with it."""
    return Path(ref.place).resolve() if ref.is_local else replace(ref.whole, inner=".".join(names_in(ref)))


def _kind_of(step: RecipeStep) -> tuple[str, ...]:
    from .recipe import source_settings
    from .steps import STEPS

    return source_settings(STEPS[step.do]) if step.do in STEPS else ()


def _label(branch: Branch, number: int) -> str:
    return branch.name if number == 0 else [s for s in branch.steps if not s.off][number - 1].do


def _reported(report: Report, base: float, share: float, done: float, step: str) -> None:
    report(base + share * done, step)


def _hash(chain: list[str]) -> str:
    return hashlib.sha256("\n".join(chain).encode()).hexdigest()[:24]
