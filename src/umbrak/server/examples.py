"""What requests look like: an example of each body that a script is likely to send. Tests hold them against the bodies."""

from __future__ import annotations

from typing import Any

from umbrak.core.memory.label import decode_label
from umbrak.formats.documents import module_json

_KEY = "0198a2c4-7d10-7c3e-9b1f-2f6b1e0c4a11"
_MODULE = module_json(decode_label("16GB 1Rx8 PC5-4800B-RC0 P/N: HLV5R-16").module)
#: Operation -> example.
EXAMPLES: dict[str, Any] = {
    "post_session": {"name": "technician", "password": "three words or four"},
    "post_tokens": {"name": "nightly export", "role": "viewer", "days": 90},
    "post_people_webhooks": {"address": "https://10.4.0.9/umbrak", "about": "machines"},
    "put_people_retention": {"raw_reports": 365, "attachments": 0, "jobs": 90},
    "post_label": {"text": "16GB 1Rx8 PC5-4800B-RC0"},
    "post_machines_machine_id_difference": {"intake_id": _KEY},
    "post_machines_machine_id_routes": {"wishes": {"usable_gib": 512, "budget": "900"}, "seconds": 10},
    "post_machines_machine_id_totals": {"seconds": 10},
    "post_machines_machine_id_plans": {"name": "to 512 GB"},
    "post_plans_plan_id_edits": {"version": 1, "changes": {"CPU1.A2": _MODULE}},
    "post_plans_plan_id_approvals": {"version": 3},
    "post_plans_plan_id_runs": {"soak_days": 3},
    "put_runs_run_id_entries_entry_id": {
        "at": "2031-03-01T08:00:00Z",
        "entry": {"kind": "note", "text": "the lid sticks on the left"},
    },
    "post_shelf_stock": {"module": {}, "part": "HLV5R-16", "count": 4, "place": "drawer 7", "note": "by a script"},
    "post_jobs_pollings": {"machines": [_KEY]},
    "post_jobs_changes": {"change": {"do": "retire"}, "machines": [_KEY]},
}
