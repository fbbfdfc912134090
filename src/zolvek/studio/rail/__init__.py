"""The rail: the steps of the work, a panel each."""
