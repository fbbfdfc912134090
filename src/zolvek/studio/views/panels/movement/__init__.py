"""The Movement panel: generators and layers."""
