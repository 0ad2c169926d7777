"""Routes of the shelf: coffees, grinders, baskets, machines, their calibrations and slots."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query

from vapocline.api.surroundings import ERRORS, AtDesk
from vapocline.core.calibration.measured import DryRun, Subject
from vapocline.core.machine import Machine
from vapocline.core.shelf import Bag, Basket, Coffee, Grinder
from vapocline.desk import calibrations, shelf, slots

router = APIRouter(prefix="/api", responses=ERRORS)
Shelved = Literal["coffee", "grinder", "basket", "machine"]


@router.get("/coffees", operation_id="listCoffees")
def list_coffees(desk: AtDesk) -> list[shelf.ShelvedCoffee]:
    """Every coffee."""
    return shelf.list_coffees(desk)


@router.post("/coffees", operation_id="addCoffee", status_code=201)
def add_coffee(desk: AtDesk, coffee: Coffee) -> shelf.ShelvedCoffee:
    """Put a coffee on the shelf with its first bag."""
    return shelf.add_coffee(desk, coffee)


@router.put("/coffees/{coffee_id}", operation_id="changeCoffee")
def change_coffee(desk: AtDesk, coffee_id: int, coffee: Coffee) -> shelf.ShelvedCoffee:
    """Rewrite a coffee and the bag in use."""
    return shelf.change_coffee(desk, coffee_id, coffee)


@router.post("/coffees/{coffee_id}/bags", operation_id="openBag", status_code=201)
def open_bag(desk: AtDesk, coffee_id: int, bag: Bag) -> shelf.ShelvedCoffee:
    """Open a new bag of a coffee."""
    return shelf.open_bag(desk, coffee_id, bag)


@router.get("/grinders", operation_id="listGrinders")
def list_grinders(desk: AtDesk) -> list[shelf.ShelvedGrinder]:
    """Every grinder."""
    return shelf.list_grinders(desk)


@router.post("/grinders", operation_id="addGrinder", status_code=201)
def add_grinder(desk: AtDesk, grinder: Grinder) -> shelf.ShelvedGrinder:
    """Put a grinder on the shelf."""
    return shelf.add_grinder(desk, grinder)


@router.put("/grinders/{grinder_id}", operation_id="changeGrinder")
def change_grinder(desk: AtDesk, grinder_id: int, grinder: Grinder) -> shelf.ShelvedGrinder:
    """Rewrite a grinder."""
    return shelf.change_grinder(desk, grinder_id, grinder)


@router.get("/baskets", operation_id="listBaskets")
def list_baskets(desk: AtDesk) -> list[shelf.ShelvedBasket]:
    """Every basket."""
    return shelf.list_baskets(desk)


@router.post("/baskets", operation_id="addBasket", status_code=201)
def add_basket(desk: AtDesk, basket: Basket) -> shelf.ShelvedBasket:
    """Put a basket on the shelf."""
    return shelf.add_basket(desk, basket)


@router.put("/baskets/{basket_id}", operation_id="changeBasket")
def change_basket(desk: AtDesk, basket_id: int, basket: Basket) -> shelf.ShelvedBasket:
    """Rewrite a basket."""
    return shelf.change_basket(desk, basket_id, basket)


@router.get("/machines", operation_id="listMachines")
def list_machines(desk: AtDesk) -> list[shelf.ShelvedMachine]:
    """Every machine."""
    return shelf.list_machines(desk)


@router.post("/machines", operation_id="addMachine", status_code=201)
def add_machine(desk: AtDesk, machine: Machine) -> shelf.ShelvedMachine:
    """Put a machine on the shelf."""
    return shelf.add_machine(desk, machine)


@router.put("/machines/{machine_id}", operation_id="changeMachine")
def change_machine(desk: AtDesk, machine_id: int, machine: Machine) -> shelf.ShelvedMachine:
    """Rewrite a machine."""
    return shelf.change_machine(desk, machine_id, machine)


@router.delete("/shelf/{kind}/{row_id}", operation_id="removeFromShelf", status_code=204)
def remove_from_shelf(desk: AtDesk, kind: Shelved, row_id: int) -> None:
    """Take something off the shelf that nothing needs."""
    shelf.remove(desk, kind, row_id)


@router.get("/machines/{machine_id}/boiler", operation_id="boilerFor")
def boiler_for(
    desk: AtDesk, machine_id: int, group_c: Annotated[float, Query(ge=40, le=110)]
) -> shelf.BoilerFor:
    """What to set the boiler to for a temperature at the group."""
    return shelf.boiler_for(desk, machine_id, group_c)


@router.get("/calibrations/{subject}/{subject_id}", operation_id="listCalibrations")
def list_calibrations(desk: AtDesk, subject: Subject, subject_id: int) -> list[calibrations.Kept]:
    """Every calibration of one thing, newest first."""
    return calibrations.list_calibrations(desk, subject, subject_id)


@router.post("/calibrations/{subject}/{subject_id}/fit", operation_id="fitCalibration")
def fit_calibration(
    desk: AtDesk, subject: Subject, subject_id: int, made: calibrations.Measurement
) -> calibrations.Worked:
    """Work out a measurement; nothing is kept."""
    return calibrations.work_out(desk, subject, subject_id, made.measured)


@router.post(
    "/calibrations/{subject}/{subject_id}", operation_id="keepCalibration", status_code=201
)
def keep_calibration(
    desk: AtDesk, subject: Subject, subject_id: int, made: calibrations.Measurement
) -> list[calibrations.Kept]:
    """Keep a calibration and put it to use; older ones stay."""
    return calibrations.keep(desk, subject, subject_id, made)


@router.post("/kept-calibrations/{calibration_id}/use", operation_id="useCalibration")
def use_calibration(desk: AtDesk, calibration_id: int) -> list[calibrations.Kept]:
    """Go back to an older calibration."""
    return calibrations.use(desk, calibration_id)


@router.post("/dry-runs/{profile_id}/{number}", operation_id="dryRun")
def dry_run(desk: AtDesk, profile_id: int, number: int) -> DryRun:
    """Run a version on the bench's machine without coffee and time its stages."""
    return calibrations.dry_run(desk, profile_id, number)


@router.get("/machines/{machine_id}/slots", operation_id="readSlots")
def read_slots(desk: AtDesk, machine_id: int, profile_id: int | None = None) -> slots.SlotPlan:
    """What lies in which slot; with a profile, a short name for it."""
    return slots.read_slots(desk, machine_id, profile_id)


@router.put("/machines/{machine_id}/slots/{number}", operation_id="storeInSlot")
def store_in_slot(
    desk: AtDesk, machine_id: int, number: int, storing: slots.Storing
) -> slots.SlotPlan:
    """Put a version in a slot, over what was seen there."""
    return slots.store(desk, machine_id, number, storing)


@router.delete("/machines/{machine_id}/slots/{number}", operation_id="clearSlot")
def clear_slot(desk: AtDesk, machine_id: int, number: int, over: str) -> slots.SlotPlan:
    """Empty a slot that holds what was seen there."""
    return slots.clear(desk, machine_id, number, over)
