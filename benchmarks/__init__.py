"""Speed, as ratios against plain baselines in the same run: `make bench`."""
