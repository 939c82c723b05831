package store

import (
	"context"
	"database/sql"
	"time"
)

// Device is a machine that waits to be signed in from elsewhere.
type Device struct {
	Machine          string // as it names itself
	Requested        string // id of the review that it asks for; may be empty
	Address, Network string
	Made, Expires    time.Time
	Asked            time.Time // its last check; zero: none
	Person           string    // id of the person who decided; empty: nobody yet
	Review           string    // id of the review in which it can record; empty after a decision: it was refused
}

// Decided reports whether somebody approved or refused the machine.
func (d *Device) Decided() bool { return d.Person != "" }

// AddDevice stores a machine under the hashes of its code and of the code for people, and deletes expired ones. It
// returns ErrExists if a network has most already, or all together have mostAll.
func (s *Store) AddDevice(ctx context.Context, device, code string, d *Device, most, mostAll int) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM device_codes WHERE expires < ?`, d.Made); err != nil {
		return translate(err)
	}
	var here, all int
	if err := s.db.QueryRowContext(ctx, `SELECT COALESCE(SUM(network = ?), 0), COUNT(*) FROM device_codes`, d.Network).
		Scan(&here, &all); err != nil {
		return translate(err)
	}
	if here >= most || all >= mostAll {
		return ErrExists
	}
	_, err := s.db.ExecContext(
		ctx,
		`INSERT INTO device_codes (device, code, machine, requested, address, network, made, expires)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		Secret(device),
		Secret(code),
		d.Machine,
		null(d.Requested),
		d.Address,
		d.Network,
		d.Made,
		d.Expires,
	)
	return translate(err)
}

const selectDevice = `SELECT machine, requested, address, network, made, expires, asked, person, review FROM device_codes `

func scanDevice(row *sql.Row) (d Device, err error) {
	var asked sql.NullTime
	err = row.Scan(&d.Machine, orEmpty{&d.Requested}, &d.Address, &d.Network, &d.Made, &d.Expires, &asked,
		orEmpty{&d.Person}, orEmpty{&d.Review})
	d.Asked = asked.Time
	return d, translate(err)
}

// DeviceByCode returns the machine with a code for people; ErrNotFound if it has expired.
func (s *Store) DeviceByCode(ctx context.Context, code string, now time.Time) (Device, error) {
	return scanDevice(s.db.QueryRowContext(ctx, selectDevice+`WHERE code = ? AND expires > ?`, Secret(code), now))
}

// Device returns a machine by its own code, and records its check.
func (s *Store) Device(ctx context.Context, device string, now time.Time) (Device, error) {
	d, err := scanDevice(s.db.QueryRowContext(ctx, selectDevice+`WHERE device = ? AND expires > ?`, Secret(device), now))
	if err != nil {
		return d, err
	}
	_, err = s.db.ExecContext(ctx, `UPDATE device_codes SET asked = ? WHERE device = ?`, now, Secret(device))
	return d, translate(err)
}

// DecideDevice lets a machine record in a review, or refuses it if review is empty; ErrNotFound if somebody decided
// already, or it has expired.
func (t *Tx) DecideDevice(code, person, review string, now time.Time) error {
	return t.one(`UPDATE device_codes SET person = ?, review = ? WHERE code = ? AND expires > ? AND person IS NULL`,
		person, null(review), Secret(code), now)
}

// TakeDevice removes a machine that was decided on, once; ErrNotFound if it was removed.
func (t *Tx) TakeDevice(device string) error {
	return t.one(`DELETE FROM device_codes WHERE device = ? AND person IS NOT NULL`, Secret(device))
}
