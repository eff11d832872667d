"""The demo's other four suppliers. All are invented; GTINs carry the GS1 prefix 952."""
