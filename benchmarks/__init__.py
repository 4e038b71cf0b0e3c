"""Speed as ratios against witnesses, measured in one run. Run: make bench"""
