"""The puck model: from a plan to pressure, flow, cup and strength against time."""
