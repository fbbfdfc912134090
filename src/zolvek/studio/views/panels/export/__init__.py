"""The Export panel."""
