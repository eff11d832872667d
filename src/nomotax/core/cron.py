"""When something is to happen again: a cron expression (IEEE 1003.1) in a time zone."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from itertools import islice
from zoneinfo import ZoneInfo

from cron_descriptor import FormatError, Options, get_description
from cronsim import CronSim, CronSimError
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.zones import zones

_MINUTE = timedelta(minutes=1)
#: More than any clock goes back.
_REPEATED = timedelta(hours=3)
#: Minute, hour, day of the month, month, day of the week.
_PARTS = 5


class Cron(BaseModel):
    """A cron expression of five parts in a time zone. A time that a change of the clock leaves out
    comes right after the change, and one that it brings twice comes once; where the hour is any
    (``*`` or ``*/2``), both times."""

    model_config = ConfigDict(frozen=True)

    expression: str = Field(max_length=120)
    zone: str = "UTC"

    @model_validator(mode="after")
    def _comes(self) -> Cron:
        if self.zone not in zones():
            raise ValueError(f"there is no time zone {self.zone!r}")
        if len(self.expression.split()) != _PARTS:
            raise ValueError(
                "a cron expression has five parts: minute, hour, day of the month, month, day of "
                "the week; such as 0 2 * * * for every day at two"
            )
        try:
            CronSim(self.expression, datetime(2024, 1, 1, tzinfo=UTC))
        except CronSimError as error:
            said = str(error)[:1].lower() + str(error)[1:]
            raise ValueError(f"this never comes: {said}") from error
        return self

    @property
    def said(self) -> str:
        """When it comes, in plain words: "At 02:00, Monday through Friday"; of what these words
        cannot tell, the expression itself."""
        options = Options()
        options.use_24hour_time_format = True
        try:
            return str(get_description(self.expression, options))
        except FormatError:
            return f"At the times of {self.expression}"

    @property
    def _every_hour(self) -> bool:
        """Whether it goes by hours that pass, and not by the time of day."""
        return self.expression.split()[1].startswith("*")

    def _times(self, after: datetime) -> Iterator[datetime]:
        zone, later = ZoneInfo(self.zone), list[datetime]()
        begin = after.astimezone(zone).replace(tzinfo=None) - _REPEATED
        # The library is asked by the clock on the wall alone: with a zone it loses times where a
        # clock changes by half an hour.
        for shown in CronSim(self.expression, begin):
            first, *again = _moments(shown, zone)
            later = sorted({*later, first, *(again if self._every_hour else [])})
            while later and later[0] <= first:
                if (moment := later.pop(0)) > after:
                    after = moment
                    yield moment

    def after(self, moment: datetime, many: int = 1) -> list[datetime]:
        """The next times after a moment, in UTC."""
        return list(islice(self._times(moment), many))


def _moments(shown: datetime, zone: ZoneInfo) -> list[datetime]:
    """When the clock of a place shows a time, in UTC: once, or twice where it goes back; of one
    that it leaves out, when it shows the next one."""
    while shown.replace(tzinfo=zone).astimezone(UTC).astimezone(zone).replace(tzinfo=None) != shown:
        shown += _MINUTE
    return sorted({shown.replace(tzinfo=zone, fold=n).astimezone(UTC) for n in (0, 1)})
