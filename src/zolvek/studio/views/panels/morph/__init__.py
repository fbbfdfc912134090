"""The Morph panel: states, morphs between them, and the pad."""
