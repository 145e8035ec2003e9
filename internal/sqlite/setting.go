package sqlite

import "context"

// Settings are the settings of the program for this shop, by their names.
func (db *DB) Settings(ctx context.Context) (map[string]string, error) {
	rows, err := db.sql.QueryContext(ctx, "SELECT name, value FROM setting")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	settings := map[string]string{}
	for rows.Next() {
		var name, value string
		if err := rows.Scan(&name, &value); err != nil {
			return nil, err
		}
		settings[name] = value
	}
	return settings, rows.Err()
}

// SaveSetting keeps a setting; "" is kept as well, and means none.
func (db *DB) SaveSetting(ctx context.Context, name, value string) error {
	_, err := db.sql.ExecContext(ctx, "INSERT INTO setting (name, value) VALUES (?, ?) "+
		"ON CONFLICT (name) DO UPDATE SET value = excluded.value", name, value)
	return err
}
