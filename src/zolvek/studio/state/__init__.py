"""What a window holds, part by part. Each part owns its fields and tells by `changed` that they
have changed; nobody else assigns to them or emits for them. A part that points at things of the
project follows the document, and lets go what is there no more."""
