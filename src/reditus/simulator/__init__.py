"""Stand-in hosts: counters that obey the arithmetic of a real machine, deterministic by seed."""

from reditus.simulator.fernhold import FERNHOLD, made_up
from reditus.simulator.host import SimulatedHost, simulate

__all__ = ["FERNHOLD", "SimulatedHost", "made_up", "simulate"]
