"""Which content of a destination a link of a source means, and what comes near to it."""
