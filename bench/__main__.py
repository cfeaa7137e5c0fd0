"""Runs every benchmark and prints a line for each: what, how much, the bound, and whether it holds."""

import sys

from bench import apply, film, ingest, logbook, metrics, pooling, probe_cost, resample, stand_in, start_time

BENCHMARKS = (start_time.measure, start_time.measure_import, stand_in.measure, stand_in.measure_two_processes,
              stand_in.measure_first_call, logbook.measure,
              apply.measure, apply.measure_entries, ingest.measure, film.measure, metrics.measure, resample.measure,
              pooling.measure, pooling.measure_two_processes,
              probe_cost.measure)


def main() -> int:
    missed = 0
    for benchmark in BENCHMARKS:
        try:
            rows = benchmark()
        except Exception as error:  # the others are still to be measured
            missed += 1
            print(f"FAILED  {benchmark.__module__}.{benchmark.__name__}: {type(error).__name__}: {error}", flush=True)
            continue
        for what, figure, unit, bound, holds in rows:
            missed += not holds
            print(f"{'ok    ' if holds else 'MISSED'}  {what}: {figure:.2f} {unit} (bound: {bound})", flush=True)
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
