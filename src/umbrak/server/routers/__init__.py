"""One file an area; each makes its `router`."""

from umbrak.core.evaluate import Evaluation
from umbrak.core.memory.module import Module
from umbrak.server.shapes import work_out
from umbrak.services.bench.view import RunView
from umbrak.services.known.view import SurveyFacts
from umbrak.services.machines.page import MachineView
from umbrak.services.plans.view import PlanView
from umbrak.services.rounds.view import RoundView
from umbrak.services.sheets.board import Board
from umbrak.services.sheets.doubts import DoubtView
from umbrak.services.sheets.seen import SeenText
from umbrak.services.shelf.view import ShelfView

# Before the routes are made.
work_out(
    Module, Evaluation, Board, DoubtView, SurveyFacts, MachineView, PlanView, RunView, RoundView, ShelfView, SeenText
)
