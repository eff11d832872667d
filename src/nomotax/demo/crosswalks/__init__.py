"""The crosswalks a store data manager would end up with for the demo suppliers."""
