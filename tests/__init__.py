"""Tests by room: core, store, devices, desk, api, command, web."""
