"""What can be wrong with a ride log."""

from __future__ import annotations

from crisp_hornet.documents.errors import DocumentError


class RideError(DocumentError):
    """A log cannot be read: which file, where in it, why, and what to do."""
