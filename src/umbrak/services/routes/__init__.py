"""What could be bought for a machine and how much is worth having: the optimiser asked, and its answer with every figure."""
