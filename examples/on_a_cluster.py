"""The demo's records as Parquet parts, read by processes of their own: the same book as from the file, on any cluster.

python examples/on_a_cluster.py [FOLDER]   needs pip install 'logochron[clusters]' 'dask[distributed]'
"""

import sys
from pathlib import Path

import duckdb

import logochron as lc

folder = Path(sys.argv[1] if len(sys.argv) > 1 else "brinefold")


def main() -> None:
    from dask import dataframe
    from distributed import Client, LocalCluster

    sales_file, _ = lc.demo.write(folder)
    parts = folder / "parts"
    rows = f"SELECT *, year(sold_on) AS year FROM read_csv('{sales_file}')"
    duckdb.sql(f"COPY ({rows}) TO '{parts}' (FORMAT parquet, PARTITION_BY year, OVERWRITE_OR_IGNORE)")

    asked = {"date": "sold_on", "values": ["revenue", "units"], "by": "harbor"}
    with (
        LocalCluster(n_workers=2, processes=True, host="127.0.0.1", dashboard_address="127.0.0.1:0") as cluster,
        Client(cluster),
    ):
        # only sums by day and harbor come back; a Spark frame is read in the same way
        there = lc.read(dataframe.read_parquet(parts), **asked)
    here = lc.read(parts, **asked)
    months = lc.compare(there, each="month", by="harbor", measures="revenue", last=1)
    print(there)
    print(months.table[["period", "harbor", "value", "base", "growth", "status"]].to_string())
    same = months.table.equals(lc.compare(here, each="month", by="harbor", measures="revenue", last=1).table)
    print(f"the same as from the files here: {same}; exact: {there.exact}")


if __name__ == "__main__":  # the processes load this file as well
    main()
