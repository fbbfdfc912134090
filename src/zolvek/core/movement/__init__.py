"""Movement: LFOs, randomness, layers, morphs, pads, passes, and what is heard of them."""
