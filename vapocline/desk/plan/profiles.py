"""Profiles: list, start, save as a new version, and say what a version changed."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict
from pydantic_core import PydanticCustomError
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer, Name
from vapocline.core.base.problems import ConflictError, NotFoundError, Refused
from vapocline.core.formats.registry import PROFILE
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import steady_nine
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Profile
from vapocline.core.profile.purpose import Purpose
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import cached_prediction
from vapocline.store import profiles
from vapocline.store.database import transaction
from vapocline.store.tables import ProfileRow, VersionRow


class ProfileLine(Answer):
    """A profile in a list: its newest version's number, what that is for, and when it was saved."""

    id: int
    name: str
    newest: int
    purpose: Purpose | None
    saved_at: datetime


class Version(Answer):
    """One saved version."""

    profile_id: int
    number: int
    label: str | None
    purpose: Purpose | None
    based_on: int | None
    saved_at: datetime
    profile: Profile


class VersionLine(Answer):
    """A version in its profile's history, with what it changed from the one it was based on."""

    number: int
    label: str | None
    purpose: Purpose | None
    based_on: int | None
    saved_at: datetime
    differences: list[str]


class History(Answer):
    """A profile with its newest version whole, and all versions, newest first."""

    id: int
    name: str
    newest: Version
    versions: list[VersionLine]


def _known_style(key: str) -> str:
    keys = [style.key for style in STYLES]
    if key not in keys:
        raise PydanticCustomError("style", "style", {"accepted": ", ".join(keys)})
    return key


class NewProfile(BaseModel):
    """A profile to start: an empty name is refused; without a document, the plainest start. `style`
    is the one it began as."""

    model_config = ConfigDict(extra="forbid")

    name: Name
    profile: Profile | None = None
    style: Annotated[str, AfterValidator(_known_style)] | None = None


class NewVersion(BaseModel):
    """A version to save on top of the one it was edited from."""

    model_config = ConfigDict(extra="forbid")

    based_on: int
    label: Name | None = None
    profile: Profile


class PurposeSaid(BaseModel):
    """What a version is pulled for; None for anything."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    purpose: Purpose | None


class Since(Answer):
    """What a draft changes from a saved version: in words, and by prediction where there is one."""

    number: int
    differences: list[str]
    shot_time_change_s: float | None
    extraction_yield_change_points: float | None


def list_profiles(context: Context) -> list[ProfileLine]:
    """Every profile, by name."""
    with transaction(context.sessions) as session:
        return [
            ProfileLine(
                id=row.profile_id,
                name=row.profile.name,
                newest=row.number,
                purpose=row.purpose,
                saved_at=row.created_at,
            )
            for row in profiles.read_heads(session)
        ]


def start_profile(context: Context, new: NewProfile) -> Version:
    """Make a profile and its first version. Raises ConflictError if the name is taken, Refused."""
    document = new.profile or steady_nine(new.name, read_bench(context).yield_g)
    document = document.model_copy(update={"name": new.name})
    with transaction(context.sessions) as session:
        row = keep_first(session, document, new.style)
        row.created_at = context.now()
        return _version(row)


def keep_first(
    session: Session, document: Profile, style: str | None, purpose: Purpose | None = None
) -> VersionRow:
    """A new profile's first version, written. Raises ConflictError if its name is taken, Refused
    for what could run nowhere."""
    _refuse_unsavable(document)
    row = VersionRow(number=1, document=PROFILE.write(document), purpose=purpose)
    row.profile = ProfileRow(name=document.name, style=style)
    session.add(row)
    session.flush()
    session.refresh(row)
    return row


def save_version(context: Context, profile_id: int, new: NewVersion) -> Version:
    """Save a draft as the next version.

    Raises ConflictError when another was saved since the draft was begun: nothing is overwritten
    and the draft is still the user's. Raises Refused for a profile that could not run anywhere.
    """
    _refuse_unsavable(new.profile)
    with transaction(context.sessions) as session:
        head = profiles.read_profile(session, profile_id)
        newest = head.versions[-1].number
        if newest != new.based_on:
            raise ConflictError(
                f"Version {newest} of {head.name} was saved in the meantime; your draft started "
                f"from version {new.based_on}. Look at version {newest}, then save yours on top."
            )
        head.name = new.profile.name
        row = VersionRow(
            profile_id=profile_id,
            number=newest + 1,
            based_on=new.based_on,
            label=new.label,
            created_at=context.now(),
            purpose=head.versions[-1].purpose,  # what it is for stays until said otherwise
            document=PROFILE.write(new.profile),
        )
        session.add(row)
        session.flush()
        session.refresh(row)
        return _version(row)


def _refuse_unsavable(profile: Profile) -> None:
    problems = profile_problems(profile, under="profile")
    if problems:
        raise Refused(problems)


def read_history(context: Context, profile_id: int) -> History:
    """A profile with its versions, newest first. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = profiles.read_profile(session, profile_id)
        versions = [_version(version) for version in row.versions]
    known = {version.number: version.profile for version in versions}
    lines = [
        VersionLine(
            number=version.number,
            label=version.label,
            purpose=version.purpose,
            based_on=version.based_on,
            saved_at=version.saved_at,
            differences=(
                profile_differences(known[version.based_on], version.profile)
                if version.based_on in known
                else []
            ),
        )
        for version in versions
    ]
    return History(id=row.id, name=row.name, newest=versions[-1], versions=lines[::-1])


def read_version(context: Context, profile_id: int, number: int) -> Version:
    """One version, whole. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        return _version(profiles.read_version(session, profile_id, number))


def changes_since(context: Context, profile_id: int, number: int, draft: Profile) -> Since:
    """What a draft changes from a saved version, in words and by prediction."""
    saved = read_version(context, profile_id, number)
    words = profile_differences(saved.profile, draft)
    time_change = yield_change = None
    if words:
        bench = read_bench(context)
        try:
            was, now = (
                cached_prediction(plan_for(bench, p)[0].model_dump_json(by_alias=True))
                for p in (saved.profile, draft)
            )
        except Refused:
            pass  # what is wrong is said where the draft is predicted
        else:
            time_change = _change(was.shot_time_s.value, now.shot_time_s.value)
            yield_change = _change(was.extraction_yield_pct.value, now.extraction_yield_pct.value)
    return Since(
        number=number,
        differences=words,
        shot_time_change_s=time_change,
        extraction_yield_change_points=yield_change,
    )


def _change(was: float | None, now: float | None) -> float | None:
    return None if was is None or now is None else round(now - was, 1)


def _version(row: VersionRow) -> Version:
    return Version(
        profile_id=row.profile_id,
        number=row.number,
        label=row.label,
        purpose=row.purpose,
        based_on=row.based_on,
        saved_at=row.created_at,
        profile=PROFILE.read(row.document),
    )


def set_purpose(context: Context, profile_id: int, number: int, said: PurposeSaid) -> Version:
    """Say what a version is pulled for. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = profiles.read_version(session, profile_id, number)
        row.purpose = said.purpose
        return _version(row)


def find_profile(context: Context, name: str) -> int:
    """A profile's number by its name. Raises NotFoundError."""
    for line in list_profiles(context):
        if line.name == name:
            return line.id
    raise NotFoundError(f"There is no profile named {name}.")
