"""What would be delivered, measured against where it is going, and how to put it right."""

from .deliver import Delivered, deliver
from .destinations import Destination, destination, shipped
from .gauge import Gauge, Measured, Verdict, summary
from .measure import measure

__all__ = [
    "Delivered",
    "Destination",
    "Gauge",
    "Measured",
    "Verdict",
    "deliver",
    "destination",
    "measure",
    "shipped",
    "summary",
]
