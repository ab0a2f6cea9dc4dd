"""What a machine's own alerts say of the modules that came."""

from __future__ import annotations

#: Words by which alerts about parts as such are known; and those of a fault, which are never expected.
_ABOUT_PARTS = ("unsupported", "not supported", "not qualified", "unqualified", "uncertified", "not certified", "unknown part", "third-party", "third party", "non-genuine", "incompatible")  # fmt: skip
_ABOUT_FAULTS = ("error", "fail", "fault", "degraded", "disabled", "correctable", "critical", "not detected", "missing", "ignored", "not used", "not usable", "unusable", "not available", "offline", "removed", "deconfigured", "mapped out", "isolated", "exceeded", "threshold", "overheat")  # fmt: skip


def alert_is_expected(text: str, unlisted: bool | None) -> bool | None:
    """Whether an alert is what third-party parts are known to cause: True, False, or None when its words, or the parts
    (`unlisted`), do not say."""
    said = text.casefold()
    if any(w in said for w in _ABOUT_FAULTS):
        return False
    if any(w in said for w in _ABOUT_PARTS):
        return unlisted
    return None
