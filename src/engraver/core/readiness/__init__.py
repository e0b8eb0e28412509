"""What would be delivered, measured against where it is going, and how to put it right."""

from .deliver import Delivered, deliver
from .destinations import DESTINATIONS, Destination, destination
from .gauges import Gauge, Verdict, measure, summary

__all__ = [
    "DESTINATIONS",
    "Delivered",
    "Destination",
    "Gauge",
    "Verdict",
    "deliver",
    "destination",
    "measure",
    "summary",
]
