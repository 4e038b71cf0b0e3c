#!/usr/bin/env bash
# A night job: replay a study on all files that came in, keep one table, and say in the morning what failed and why.
#
#     examples/night.sh STUDY FOLDER OUTPUT
#
# Ended by hand or by the machine, it goes on where it was when it is started again.
set -uo pipefail
study=$1 incoming=$2 output=$3
mkdir -p "$output"

vettore replay "$study" "$incoming" -o "$output/numbers.csv" --reports "$output/reports" --as html \
    --workers "$(nproc)" 2> "$output/log.txt"
case $? in
    0) echo "All files were done." ;;
    1) echo "Some files failed:"; grep '^  ' "$output/log.txt" ;;
    3) echo "The run was ended; start it again to go on." ;;
    *) echo "Nothing was done:"; tail -1 "$output/log.txt"; exit 2 ;;
esac

# The numbers of one coefficient, as another program reads them.
vettore describe "$output/numbers.csv" > "$output/summary.txt"
echo "The table is $output/numbers.csv."
