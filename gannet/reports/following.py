"""Reports and dashboards follow when a service is called otherwise."""

from typing import Any

from gannet.reports.models import Dashboard, KeptReport
from gannet_core.renaming import said_anew


def service_renamed(sender: Any, *, old: str, new: str, **_: Any) -> None:
    """What kept reports and dashboards say of the old name they say of the new one."""
    for report in KeptReport.objects.all():
        definition = said_anew(report.definition, "services", old, new)
        if definition != report.definition:
            report.definition = definition
            report.save(update_fields=["definition"])
    for dashboard in Dashboard.objects.all():
        rows = said_anew(dashboard.rows, "services", old, new)
        if rows != dashboard.rows:
            dashboard.rows = rows
            dashboard.save(update_fields=["rows"])
