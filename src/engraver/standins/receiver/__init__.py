"""The practice receiver: a stand-in for the program at the other end, that knows only files and its own habits."""

from .ball import ball_picture
from .faults import Fault, Received, receive
from .habit import Habit, habit, habit_for, habit_from, habits

__all__ = ["Fault", "Habit", "Received", "ball_picture", "habit", "habit_for", "habit_from", "habits", "receive"]
