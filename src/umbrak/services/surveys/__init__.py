"""Learning what is fitted: reports taken in, machines asked over the network, what somebody saw, and what of it is taken over."""
