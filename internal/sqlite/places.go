package sqlite

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"diadrom/internal/core/gazetteer"
)

// States of a list of places.
const (
	ListWaiting = "waiting" // it is being imported, or will be
	ListDone    = "done"
	ListFailed  = "failed"
)

// PlaceList is a list of places that was imported from a file, or is being imported.
type PlaceList struct {
	ID           int64
	Name         string // of the file
	Bytes, Taken int64  // of the file, and how many of them are in
	Lines        int64
	Skipped      int
	Recoded      int // lines that were not UTF-8 and read as Windows-1252
	Unusual      int // postcodes that their country does not write so
	State        string
	Countries    map[string]int // places by country, when it is done
	Problem      string         // why it failed
}

const listColumns = "id, name, bytes, taken, lines, skipped, recoded, unusual, state, countries, problem"

func scanList(row interface{ Scan(...any) error }) (l PlaceList, err error) {
	var countries string
	if err = row.Scan(
		&l.ID,
		&l.Name,
		&l.Bytes,
		&l.Taken,
		&l.Lines,
		&l.Skipped,
		&l.Recoded,
		&l.Unusual,
		&l.State,
		&countries,
		&l.Problem,
	); err != nil {
		return l, err
	}
	return l, json.Unmarshal([]byte(countries), &l.Countries)
}

// AddPlaceList begins a list: a file of that name and size is to be imported. Place puts the file where the list's
// id says before anybody sees the list; its error undoes the list.
func (db *DB) AddPlaceList(
	ctx context.Context,
	name string,
	bytes int64,
	place func(id int64) error,
) (l PlaceList, err error) {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return l, err
	}
	defer tx.Rollback()
	l, err = scanList(tx.QueryRowContext(
		ctx,
		"INSERT INTO place_list (name, bytes, state) VALUES (?, ?, 'waiting') RETURNING "+listColumns,
		name,
		bytes,
	))
	if err != nil {
		return l, err
	}
	if err := place(l.ID); err != nil {
		return l, err
	}
	return l, tx.Commit()
}

// PlaceLists gives all lists, the newest first.
func (db *DB) PlaceLists(ctx context.Context) (lists []PlaceList, err error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT "+listColumns+" FROM place_list ORDER BY id DESC")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		l, err := scanList(rows)
		if err != nil {
			return nil, err
		}
		lists = append(lists, l)
	}
	return lists, rows.Err()
}

// SkippedLines gives the first lines of a list that could not be used.
func (db *DB) SkippedLines(ctx context.Context, list int64, most int) (lines []gazetteer.LineError, err error) {
	rows, err := db.sql.QueryContext(
		ctx,
		"SELECT line, reason FROM place_skipped WHERE list = ? ORDER BY line LIMIT ?",
		list,
		most,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var l gazetteer.LineError
		if err := rows.Scan(&l.Line, &l.Reason); err != nil {
			return nil, err
		}
		lines = append(lines, l)
	}
	return lines, rows.Err()
}

// Places is a part of a list: what is to be kept of some lines of the file, one behind the other.
type Places struct {
	Places  []gazetteer.Place
	Skipped []gazetteer.LineError
	Bytes   int64
	Lines   int64
	Recoded int
	Unusual int
}

// maxSkipped is how many skipped lines of a list are kept with their reasons; all are counted.
const maxSkipped = 1000

// insertRows is how many places one statement writes.
const insertRows = 50

var insertPlaces = "INSERT INTO place (list, country, postcode, name, region, region_name, " +
	"municipality, lat, lon) VALUES " +
	strings.TrimSuffix(strings.Repeat("(?, ?, ?, ?, ?, ?, ?, ?, ?), ", insertRows), ", ")

// AddPlaces keeps the next part of a list in one transaction. It fails with [ErrConflict] where another process
// has imported the same part meanwhile, and then keeps nothing.
func (db *DB) AddPlaces(ctx context.Context, l *PlaceList, part Places) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	result, err := tx.ExecContext(
		ctx,
		`UPDATE place_list SET taken = taken + ?, lines = lines + ?, skipped = skipped + ?,
			recoded = recoded + ?, unusual = unusual + ?
		WHERE id = ? AND taken = ? AND state = 'waiting'`,
		part.Bytes,
		part.Lines,
		len(part.Skipped),
		part.Recoded,
		part.Unusual,
		l.ID,
		l.Taken,
	)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrConflict)
	}
	if err := insertAll(ctx, tx, l.ID, part.Places); err != nil {
		return err
	}
	for i, s := range part.Skipped {
		if l.Skipped+i >= maxSkipped {
			break
		}
		if _, err := tx.ExecContext(
			ctx,
			"INSERT INTO place_skipped (list, line, reason) VALUES (?, ?, ?)",
			l.ID,
			s.Line,
			s.Reason,
		); err != nil {
			return err
		}
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	l.Taken = l.Taken + part.Bytes
	l.Lines = l.Lines + part.Lines
	l.Skipped = l.Skipped + len(part.Skipped)
	l.Recoded = l.Recoded + part.Recoded
	l.Unusual = l.Unusual + part.Unusual
	return nil
}

func insertAll(ctx context.Context, tx *sql.Tx, list int64, places []gazetteer.Place) error {
	many, err := tx.PrepareContext(ctx, insertPlaces)
	if err != nil {
		return err
	}
	defer many.Close()
	one, err := tx.PrepareContext(
		ctx,
		insertPlaces[:strings.Index(insertPlaces, ")")+1]+" VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
	)
	if err != nil {
		return err
	}
	defer one.Close()
	values := make([]any, 0, insertRows*9)
	for i := range places {
		p := &places[i]
		values = append(values, list, p.Country, p.Postcode, p.Name, p.Region, p.RegionName, p.Municipality)
		if p.Located {
			values = append(values, p.Lat, p.Lon)
		} else {
			values = append(values, nil, nil)
		}
		if len(values) == insertRows*9 {
			if _, err := many.ExecContext(ctx, values...); err != nil {
				return err
			}
			values = values[:0]
		}
	}
	for ; len(values) > 0; values = values[9:] {
		if _, err := one.ExecContext(ctx, values[:9]...); err != nil {
			return err
		}
	}
	return nil
}

// FinishPlaceList makes a list count: its places stand in for those that other lists have of the same
// countries, and lists of which nothing is left go.
func (db *DB) FinishPlaceList(ctx context.Context, list int64) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	for _, statement := range []string{
		"UPDATE place_list SET state = 'done' WHERE id = ?",
		`DELETE FROM place WHERE list <> ?1 AND country IN (SELECT DISTINCT country FROM place WHERE list = ?1)
			AND list IN (SELECT id FROM place_list WHERE state = 'done')`,
	} {
		if _, err := tx.ExecContext(ctx, statement, list); err != nil {
			return err
		}
	}
	for _, statement := range []string{
		`UPDATE place_list SET countries = coalesce((SELECT json_group_object(country, n) FROM
			(SELECT country, count(*) AS n FROM place WHERE list = place_list.id GROUP BY country)), '{}')
		WHERE state = 'done'`,
		fmt.Sprintf("DELETE FROM place_list WHERE state = 'done' AND countries = '{}' AND id <> %d", list),
		"DELETE FROM place_skipped WHERE list NOT IN (SELECT id FROM place_list)",
	} {
		if _, err := tx.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return tx.Commit()
}

// FailPlaceList says why a list cannot be imported; what was imported of it is removed.
func (db *DB) FailPlaceList(ctx context.Context, list int64, problem string) error {
	return db.all(
		ctx,
		list,
		"DELETE FROM place WHERE list = ?1",
		"UPDATE place_list SET state = 'failed', problem = ?2 WHERE id = ?1",
		problem,
	)
}

// RemovePlaceList removes a list with its places.
func (db *DB) RemovePlaceList(ctx context.Context, list int64) error {
	return db.all(
		ctx,
		list,
		"DELETE FROM place WHERE list = ?1",
		"DELETE FROM place_skipped WHERE list = ?1; DELETE FROM place_list WHERE id = ?1",
	)
}

// all executes two statements about a list in one transaction.
func (db *DB) all(ctx context.Context, list int64, first, second string, more ...any) error {
	tx, err := db.sql.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if _, err := tx.ExecContext(ctx, first, list); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, second, append([]any{list}, more...)...); err != nil {
		return err
	}
	return tx.Commit()
}

// PlacesVersion changes whenever other places count.
func (db *DB) PlacesVersion(ctx context.Context) (version string, err error) {
	err = db.sql.QueryRowContext(
		ctx,
		"SELECT coalesce(group_concat(id), '') FROM (SELECT id FROM place_list WHERE state = 'done' ORDER BY id)",
	).Scan(&version)
	return version, err
}

// LoadPlaces reads the places of all lists that are done, as a gazetteer; nil where there are none.
func (db *DB) LoadPlaces(ctx context.Context) (*gazetteer.Gazetteer, error) {
	rows, err := db.sql.QueryContext(
		ctx,
		`SELECT country, postcode, name, region, region_name, municipality, lat, lon FROM place
		WHERE list IN (SELECT id FROM place_list WHERE state = 'done') ORDER BY rowid`,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	g := gazetteer.New(func(yield func(gazetteer.Place) bool) {
		for rows.Next() {
			var p gazetteer.Place
			var lat, lon sql.NullFloat64
			if err = rows.Scan(
				&p.Country,
				&p.Postcode,
				&p.Name,
				&p.Region,
				&p.RegionName,
				&p.Municipality,
				&lat,
				&lon,
			); err != nil {
				return
			}
			p.Lat, p.Lon, p.Located = lat.Float64, lon.Float64, lat.Valid && lon.Valid
			if !yield(p) {
				return
			}
		}
	})
	if err := errors.Join(err, rows.Err()); err != nil {
		return nil, err
	}
	if g.Len() == 0 {
		return nil, nil
	}
	return g, nil
}
