"""The practice bench as a network of this machine: each box and laptop in a namespace of its own, with real packets."""
