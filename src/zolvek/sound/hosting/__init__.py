"""Hosted plugins."""
