"""Routes of the shelf: coffees, waters, preparations, grinders, baskets, machines, calibrations and
slots."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Header, Query

from vapocline.api.dependencies import DEVICES, ERRORS, AtBench, run_on
from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Bag, Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.coffee.preparation import Preparation
from vapocline.core.coffee.water import Water
from vapocline.core.machine.calibration.measured import Subject
from vapocline.core.machine.care import CareTask
from vapocline.core.machine.machine import Machine
from vapocline.core.machine.valve import ValveFlow
from vapocline.core.puck import pictures as pictures_of_puck
from vapocline.desk.bench import pictures
from vapocline.desk.shelf import (
    baskets,
    calibrations,
    care,
    coffees,
    connections,
    grinders,
    house,
    machines,
    preparations,
    removal,
    slots,
    valves,
    waters,
)

router = APIRouter(prefix="/api", responses=ERRORS)
# Changed meanwhile, the change is refused with both sides; without it the last one counts.
SeenEtag = Annotated[str | None, Header(alias="If-Match", description="The etag that was changed.")]
Shelved = Literal["coffee", "grinder", "basket", "machine", "water", "preparation"]


@router.get("/house/units", operation_id="readHouseUnits")
def read_house_units(context: AtBench) -> house.HouseUnits:
    """The units of the house, for whoever chose no other."""
    return house.read_house_units(context)


@router.put("/house/units", operation_id="chooseHouseUnits")
def choose_house_units(context: AtBench, chosen: house.HouseUnits) -> house.HouseUnits:
    """Read amounts so from now on."""
    return house.choose_house_units(context, chosen)


@router.get("/coffees", operation_id="listCoffees")
def list_coffees(context: AtBench) -> list[coffees.ShelvedCoffee]:
    """Every coffee."""
    return coffees.list_coffees(context)


@router.post("/coffees", operation_id="addCoffee", status_code=201)
def add_coffee(context: AtBench, coffee: Coffee) -> coffees.ShelvedCoffee:
    """Put a coffee on the shelf with its first bag."""
    return coffees.add_coffee(context, coffee)


@router.put("/coffees/{coffee_id}", operation_id="changeCoffee")
def change_coffee(
    context: AtBench, coffee_id: int, coffee: Coffee, seen: SeenEtag = None
) -> coffees.ShelvedCoffee:
    """Rewrite a coffee and the bag in use."""
    return coffees.change_coffee(context, coffee_id, coffee, seen)


@router.post("/coffees/{coffee_id}/bags", operation_id="openBag", status_code=201)
def open_bag(context: AtBench, coffee_id: int, bag: Bag) -> coffees.ShelvedCoffee:
    """Open a new bag of a coffee."""
    return coffees.open_bag(context, coffee_id, bag)


@router.get("/grinders", operation_id="listGrinders")
def list_grinders(context: AtBench) -> list[grinders.ShelvedGrinder]:
    """Every grinder."""
    return grinders.list_grinders(context)


@router.post("/grinders", operation_id="addGrinder", status_code=201)
def add_grinder(context: AtBench, grinder: Grinder) -> grinders.ShelvedGrinder:
    """Put a grinder on the shelf."""
    return grinders.add_grinder(context, grinder)


@router.put("/grinders/{grinder_id}", operation_id="changeGrinder")
def change_grinder(
    context: AtBench, grinder_id: int, grinder: Grinder, seen: SeenEtag = None
) -> grinders.ShelvedGrinder:
    """Rewrite a grinder."""
    return grinders.change_grinder(context, grinder_id, grinder, seen)


@router.get("/waters", operation_id="listWaters")
def list_waters(context: AtBench) -> list[waters.ShelvedWater]:
    """Every water."""
    return waters.list_waters(context)


@router.post("/waters", operation_id="addWater", status_code=201)
def add_water(context: AtBench, water: Water) -> waters.ShelvedWater:
    """Put a water on the shelf."""
    return waters.add_water(context, water)


@router.put("/waters/{water_id}", operation_id="changeWater")
def change_water(
    context: AtBench, water_id: int, water: Water, seen: SeenEtag = None
) -> waters.ShelvedWater:
    """Rewrite a water."""
    return waters.change_water(context, water_id, water, seen)


@router.get("/preparations", operation_id="listPreparations")
def list_preparations(context: AtBench) -> list[preparations.ShelvedPreparation]:
    """Every way of preparing a puck."""
    return preparations.list_preparations(context)


@router.post("/preparations", operation_id="addPreparation", status_code=201)
def add_preparation(context: AtBench, preparation: Preparation) -> preparations.ShelvedPreparation:
    """Put a way of preparing a puck on the shelf."""
    return preparations.add_preparation(context, preparation)


@router.put("/preparations/{preparation_id}", operation_id="changePreparation")
def change_preparation(
    context: AtBench, preparation_id: int, preparation: Preparation, seen: SeenEtag = None
) -> preparations.ShelvedPreparation:
    """Rewrite a way of preparing a puck."""
    return preparations.change_preparation(context, preparation_id, preparation, seen)


@router.get("/baskets", operation_id="listBaskets")
def list_baskets(context: AtBench) -> list[baskets.ShelvedBasket]:
    """Every basket."""
    return baskets.list_baskets(context)


@router.post("/baskets", operation_id="addBasket", status_code=201)
def add_basket(context: AtBench, basket: Basket) -> baskets.ShelvedBasket:
    """Put a basket on the shelf."""
    return baskets.add_basket(context, basket)


@router.put("/baskets/{basket_id}", operation_id="changeBasket")
def change_basket(
    context: AtBench, basket_id: int, basket: Basket, seen: SeenEtag = None
) -> baskets.ShelvedBasket:
    """Rewrite a basket."""
    return baskets.change_basket(context, basket_id, basket, seen)


@router.get("/machines", operation_id="listMachines")
def list_machines(context: AtBench) -> list[machines.ShelvedMachine]:
    """Every machine."""
    return machines.list_machines(context)


@router.post("/machines", operation_id="addMachine", status_code=201)
def add_machine(context: AtBench, machine: Machine) -> machines.ShelvedMachine:
    """Put a machine on the shelf."""
    return machines.add_machine(context, machine)


@router.put("/machines/{machine_id}", operation_id="changeMachine")
def change_machine(
    context: AtBench, machine_id: int, machine: Machine, seen: SeenEtag = None
) -> machines.ShelvedMachine:
    """Rewrite a machine."""
    return machines.change_machine(context, machine_id, machine, seen)


@router.delete("/shelf/{kind}/{row_id}", operation_id="removeFromShelf", status_code=204)
def remove_from_shelf(context: AtBench, kind: Shelved, row_id: int) -> None:
    """Take something off the shelf that nothing needs."""
    removal.remove(context, kind, row_id)


@router.get("/machines/{machine_id}/boiler", operation_id="boilerFor")
def boiler_for(
    context: AtBench, machine_id: int, group_c: Annotated[float, Query(ge=40, le=110)]
) -> machines.BoilerFor:
    """What to set the boiler to for a temperature at the group."""
    return machines.boiler_for(context, machine_id, group_c)


@router.get("/calibrations/{subject}/{subject_id}", operation_id="listCalibrations")
def list_calibrations(
    context: AtBench, subject: Subject, subject_id: int
) -> list[calibrations.Kept]:
    """Every calibration of one thing, newest first."""
    return calibrations.list_calibrations(context, subject, subject_id)


@router.post("/calibrations/{subject}/{subject_id}/fit", operation_id="fitCalibration")
def fit_calibration(
    context: AtBench, subject: Subject, subject_id: int, made: calibrations.Measurement
) -> calibrations.Worked:
    """Work out a measurement; nothing is kept."""
    return calibrations.work_out(context, subject, subject_id, made.measured)


@router.post(
    "/calibrations/{subject}/{subject_id}", operation_id="keepCalibration", status_code=201
)
def keep_calibration(
    context: AtBench, subject: Subject, subject_id: int, made: calibrations.Measurement
) -> list[calibrations.Kept]:
    """Keep a calibration and put it to use; older ones stay."""
    return calibrations.keep(context, subject, subject_id, made)


@router.post("/kept-calibrations/{calibration_id}/use", operation_id="useCalibration")
def use_calibration(context: AtBench, calibration_id: int) -> list[calibrations.Kept]:
    """Go back to an older calibration."""
    return calibrations.use(context, calibration_id)


@router.get("/machines/{machine_id}/slots", operation_id="readSlots")
def read_slots(context: AtBench, machine_id: int, profile_id: int | None = None) -> slots.SlotPlan:
    """What lies in which slot; with a profile, a short name for it."""
    return slots.read_slots(context, machine_id, profile_id)


@router.put("/machines/{machine_id}/slots/{number}", operation_id="storeInSlot")
def store_in_slot(
    context: AtBench, machine_id: int, number: int, storing: slots.Storing
) -> slots.SlotPlan:
    """Put a version in a slot, over what was seen there."""
    return slots.store(context, machine_id, number, storing)


@router.delete("/machines/{machine_id}/slots/{number}", operation_id="clearSlot")
def clear_slot(context: AtBench, machine_id: int, number: int, over: str) -> slots.SlotPlan:
    """Empty a slot that holds what was seen there."""
    return slots.clear(context, machine_id, number, over)


@router.get("/machines/{machine_id}/connections", operation_id="readConnections")
async def read_connections(context: AtBench, machine_id: int) -> connections.ConnectionStatus:
    """Where a machine, its scale and the refractometer answer, and whether they do."""
    return await run_on(DEVICES, connections.read_connections, context, machine_id)


@router.put("/machines/{machine_id}/connections", operation_id="writeConnections")
async def write_connections(
    context: AtBench, machine_id: int, lines: connections.Connections
) -> connections.ConnectionStatus:
    """Set where they answer."""
    return await run_on(DEVICES, connections.write_connections, context, machine_id, lines)


@router.get("/machines/{machine_id}/reach", operation_id="drawReach")
def draw_reach(context: AtBench, machine_id: int) -> pictures_of_puck.Reach:
    """A machine's limits in pressure over flow, with the bench's puck finer and coarser in them."""
    return pictures.machine_reach(context, machine_id)


@router.get("/machines/{machine_id}/stroke", operation_id="drawStroke")
def draw_stroke(
    context: AtBench, machine_id: int
) -> pictures_of_puck.DrawnStroke | pictures_of_puck.DrawnPress:
    """A lever's pressure over its stroke, or by the force of a hand, with the bench's puck."""
    return pictures.lever_stroke(context, machine_id)


@router.get("/machines/{machine_id}/valve", operation_id="drawValve")
def draw_valve(context: AtBench, machine_id: int) -> valves.ValveCurve:
    """A needle valve's free flow by turns, and where it was measured."""
    return valves.valve_curve(context, machine_id)


@router.post("/machines/{machine_id}/valve", operation_id="askValve")
def ask_valve(context: AtBench, machine_id: int, asked: valves.ValveAsked) -> ValveFlow:
    """The free flow at a position, or the position for a flow, with grams in 30 s and their ±."""
    return valves.ask_valve(context, machine_id, asked)


@router.get("/grinders/{grinder_id}/curve", operation_id="drawGrinder")
def draw_grinder(context: AtBench, grinder_id: int) -> pictures.GrinderCurve:
    """A grinder's curve with the settings used."""
    return pictures.grinder_curve(context, grinder_id)


@router.get("/coffees/{coffee_id}/days", operation_id="drawCoffee")
def draw_coffee(context: AtBench, coffee_id: int) -> pictures.CoffeeDays:
    """A coffee over days of rest: its gas, when it is at its best, its shots; its bag in shots."""
    return pictures.coffee_days(context, coffee_id)


@router.get("/baskets/{basket_id}/bed", operation_id="drawBasket")
def draw_basket(context: AtBench, basket_id: int) -> pictures_of_puck.Bed:
    """The bench's dose in a basket, to scale."""
    return pictures.basket_bed(context, basket_id)


@router.get("/care", operation_id="listCare")
def list_care(context: AtBench) -> list[care.ThingCare]:
    """Every machine and grinder with what it wants done, those on the bench first."""
    return care.list_care(context)


@router.get("/care/due", operation_id="listCareDue")
def list_care_due(context: AtBench) -> list[str]:
    """What is due on the bench's machine and grinder, in words."""
    return care.list_due(context)


@router.post("/care/{kind}/{number}/{task}", operation_id="sayCareDone")
def say_care_done(
    context: AtBench, kind: care.CaredFor, number: int, task: CareTask
) -> care.ThingCare:
    """Note that it was done now."""
    return care.say_done(context, kind, number, task)


@router.delete("/care/{kind}/{number}/{task}", operation_id="takeCareBack")
def take_care_back(
    context: AtBench, kind: care.CaredFor, number: int, task: CareTask
) -> care.ThingCare:
    """Take back that it was done last."""
    return care.say_done(context, kind, number, task, taken_back=True)


@router.put("/care/{kind}/{number}/{task}/interval", operation_id="sayCareInterval")
def say_care_interval(
    context: AtBench, kind: care.CaredFor, number: int, task: CareTask, said: care.IntervalSaid
) -> care.ThingCare:
    """Say how often it is wanted."""
    return care.say_interval(context, kind, number, task, said)


@router.put("/machines/{machine_id}/warm-by", operation_id="sayWarmBy")
def say_warm_by(context: AtBench, machine_id: int, said: care.WarmBy) -> care.ThingCare:
    """Say by what time of day a machine is to be warm."""
    return care.say_warm_by(context, machine_id, said)
