"""Plans: how a change is carried out, and taken back."""

from jalan.change.plan.model import PlanStep, Route
from jalan.change.plan.routes import MOST_STATEMENTS, TooMany, routes

__all__ = ["MOST_STATEMENTS", "PlanStep", "Route", "TooMany", "routes"]
