"""Prints the labels for the jars of one harvest."""

import sqlite3
import sys

ROWS = """
    SELECT h.tag, v.jar_label, v.honey_kg, v.harvested_on
    FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id
    WHERE v.id = ?
"""


def labels(database: str, harvest: int) -> list[str]:
    with sqlite3.connect(database) as connection:
        row = connection.execute(ROWS, (harvest,)).fetchone()
    tag, jar_label, honey_kg, harvested_on = row
    return [f"{jar_label}\nhive {tag}, {harvested_on}"] * int(honey_kg * 2)


if __name__ == "__main__":
    print("\n\n".join(labels(sys.argv[1], int(sys.argv[2]))))
