package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"dappertally/core/catalogue"
)

// Catalogue is all distributions, releases and editions, and all rigs. Keys are full: distribution,
// distribution/release, distribution/release/edition.
type Catalogue struct {
	Distributions []catalogue.Distribution // nested, by key, date and key
	Rigs          []catalogue.Rig
	Versions      map[string]Ref // of distributions, releases and editions
	RigVersions   map[string]Ref
	aliases       map[alias]string  // ids for old keys
	keys          map[string]string // full keys by id
}

// Ref is a row's id and revision.
type Ref struct {
	ID       string
	Revision int
}

type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func loadCatalogue(ctx context.Context, q querier) (*Catalogue, error) {
	c := &Catalogue{
		Distributions: []catalogue.Distribution{},
		Rigs:          []catalogue.Rig{},
		Versions:      map[string]Ref{},
		RigVersions:   map[string]Ref{},
		aliases:       map[alias]string{},
		keys:          map[string]string{},
	}
	for _, load := range []func(context.Context, querier) error{c.loadDistributions, c.loadReleases, c.loadEditions, c.loadRigs, c.loadAliases} {
		if err := load(ctx, q); err != nil {
			return nil, err
		}
	}
	return c, nil
}

func (c *Catalogue) loadDistributions(ctx context.Context, q querier) error {
	return each(
		ctx,
		q,
		`SELECT id, revision, `+"`key`"+`, name, family, model, aim, retired FROM distributions ORDER BY `+"`key`",
		nil,
		func(row *sql.Rows) error {
			var d catalogue.Distribution
			var ref Ref
			var family string
			if err := row.Scan(&ref.ID, &ref.Revision, &d.Key, &d.Name, &family, &d.Model, &d.Aim, &d.Retired); err != nil {
				return err
			}
			d.Releases = []catalogue.Release{}
			c.Versions[d.Key] = ref
			c.Distributions = append(c.Distributions, d)
			return json.Unmarshal([]byte(family), &c.Distributions[len(c.Distributions)-1].Family)
		},
	)
}

// Distribution returns a distribution by its key; nil if there is none. It is shared: do not modify it.
func (c *Catalogue) Distribution(key string) *catalogue.Distribution {
	for i := range c.Distributions {
		if c.Distributions[i].Key == key {
			return &c.Distributions[i]
		}
	}
	return nil
}

// Release returns a release by its full key, distribution/version, like Distribution.
func (c *Catalogue) Release(key string) *catalogue.Release {
	distribution, version, _ := strings.Cut(key, "/")
	d := c.Distribution(distribution)
	if d == nil {
		return nil
	}
	for i := range d.Releases {
		if d.Releases[i].Version == version {
			return &d.Releases[i]
		}
	}
	return nil
}

// Rig returns a rig by its key, like Distribution.
func (c *Catalogue) Rig(key string) *catalogue.Rig {
	for i := range c.Rigs {
		if c.Rigs[i].Key == key {
			return &c.Rigs[i]
		}
	}
	return nil
}

func (c *Catalogue) loadReleases(ctx context.Context, q querier) error {
	return each(
		ctx,
		q,
		`SELECT r.id, r.revision, d.key, r.version, r.codename, r.date, r.tier, r.stage, r.end_of_support, r.replaces, r.based_on, r.retired
		FROM releases r JOIN distributions d ON d.id = r.distribution ORDER BY d.key, r.date, r.version`,
		nil,
		func(row *sql.Rows) error {
			var ref Ref
			var key, replaces string
			var date time.Time
			var end sql.NullTime
			r := catalogue.Release{Editions: []catalogue.Edition{}}
			if err := row.Scan(&ref.ID, &ref.Revision, &key, &r.Version, &r.Codename, &date, &r.Tier, &r.Stage, &end, &replaces, &r.BasedOn, &r.Retired); err != nil {
				return err
			}
			if err := json.Unmarshal([]byte(replaces), &r.Replaces); err != nil {
				return err
			}
			r.Date = date.Format(time.DateOnly)
			if end.Valid {
				r.EndOfSupport = end.Time.Format(time.DateOnly)
			}
			c.Versions[key+"/"+r.Version] = ref
			d := c.Distribution(key)
			d.Releases = append(d.Releases, r)
			return nil
		},
	)
}

func (c *Catalogue) loadEditions(ctx context.Context, q querier) error {
	return each(
		ctx,
		q,
		`SELECT e.id, e.revision, d.key, r.version, e.key, e.line, e.desktop, e.architecture, e.profile, e.purpose, e.memory_mib, e.disk_gib, e.retired
		FROM editions e JOIN releases r ON r.id = e.release JOIN distributions d ON d.id = r.distribution ORDER BY d.key, r.date, r.version, e.key`,
		nil,
		func(row *sql.Rows) error {
			var ref Ref
			var key, version string
			var e catalogue.Edition
			if err := row.Scan(&ref.ID, &ref.Revision, &key, &version, &e.Key, &e.Line, &e.Desktop, &e.Architecture, &e.Profile, &e.Purpose, &e.Needs.MemoryMiB, &e.Needs.DiskGiB, &e.Retired); err != nil {
				return err
			}
			c.Versions[catalogue.EditionKey(key, version, e.Key)] = ref
			r := c.Release(key + "/" + version)
			r.Editions = append(r.Editions, e)
			return nil
		},
	)
}

func (c *Catalogue) loadRigs(ctx context.Context, q querier) error {
	return each(
		ctx,
		q,
		"SELECT id, revision, `key`, name, class, is_virtual, cpu, cores, memory_mib, graphics, storage, equipment, weight, replaces, retired FROM rigs ORDER BY `key`",
		nil,
		func(row *sql.Rows) error {
			var ref Ref
			var r catalogue.Rig
			var equipment string
			var weight sql.NullFloat64
			if err := row.Scan(&ref.ID, &ref.Revision, &r.Key, &r.Name, &r.Class, &r.Virtual, &r.CPU, &r.Cores, &r.MemoryMiB, &r.Graphics, &r.Storage, &equipment, &weight, &r.Replaces, &r.Retired); err != nil {
				return err
			}
			if weight.Valid {
				r.Weight = &weight.Float64
			}
			if err := json.Unmarshal([]byte(equipment), &r.Equipment); err != nil {
				return err
			}
			c.RigVersions[r.Key] = ref
			c.Rigs = append(c.Rigs, r)
			return nil
		},
	)
}

// each runs a query and calls scan with every row.
func each(ctx context.Context, q querier, query string, args []any, scan func(*sql.Rows) error) error {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return translate(err)
	}
	defer rows.Close()
	for rows.Next() {
		if err := scan(rows); err != nil {
			return fmt.Errorf("reading the database: %w", err)
		}
	}
	return translate(rows.Err())
}

// AddDistribution adds a distribution without its releases.
func (t *Tx) AddDistribution(d *catalogue.Distribution) (id string, err error) {
	id = NewID()
	return id, t.exec(
		"INSERT INTO distributions (id, `key`, name, family, model, aim, retired) VALUES (?, ?, ?, ?, ?, ?, ?)",
		id,
		d.Key,
		d.Name,
		list(d.Family),
		d.Model,
		d.Aim,
		d.Retired,
	)
}

// EditDistribution changes everything except the key.
func (t *Tx) EditDistribution(ref Ref, d *catalogue.Distribution) error {
	return t.edit(
		"distributions",
		ref.ID,
		ref.Revision,
		"name = ?, family = ?, model = ?, aim = ?, retired = ?",
		d.Name,
		list(d.Family),
		d.Model,
		d.Aim,
		d.Retired,
	)
}

// AddRelease adds a release, without its editions, to the distribution with
// that id.
func (t *Tx) AddRelease(distribution string, r *catalogue.Release) (id string, err error) {
	id = NewID()
	return id, t.exec(
		`INSERT INTO releases (id, distribution, version, codename, date, tier, stage, end_of_support, replaces, based_on, retired)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		id,
		distribution,
		r.Version,
		r.Codename,
		r.Date,
		r.Tier,
		r.Stage,
		null(r.EndOfSupport),
		list(r.Replaces),
		r.BasedOn,
		r.Retired,
	)
}

// EditRelease changes everything except the version.
func (t *Tx) EditRelease(ref Ref, r *catalogue.Release) error {
	return t.edit(
		"releases",
		ref.ID,
		ref.Revision,
		"codename = ?, date = ?, tier = ?, stage = ?, end_of_support = ?, replaces = ?, based_on = ?, retired = ?",
		r.Codename,
		r.Date,
		r.Tier,
		r.Stage,
		null(r.EndOfSupport),
		list(r.Replaces),
		r.BasedOn,
		r.Retired,
	)
}

// AddEdition adds an edition to the release with that id.
func (t *Tx) AddEdition(release string, e *catalogue.Edition) (id string, err error) {
	id = NewID()
	return id, t.exec(
		"INSERT INTO editions (id, `release`, `key`, line, desktop, architecture, profile, purpose, memory_mib, disk_gib, retired) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		id,
		release,
		e.Key,
		e.Line,
		e.Desktop,
		e.Architecture,
		e.Profile,
		e.Purpose,
		e.Needs.MemoryMiB,
		e.Needs.DiskGiB,
		e.Retired,
	)
}

// EditEdition changes everything except the key.
func (t *Tx) EditEdition(ref Ref, e *catalogue.Edition) error {
	return t.edit(
		"editions",
		ref.ID,
		ref.Revision,
		"line = ?, desktop = ?, architecture = ?, profile = ?, purpose = ?, memory_mib = ?, disk_gib = ?, retired = ?",
		e.Line,
		e.Desktop,
		e.Architecture,
		e.Profile,
		e.Purpose,
		e.Needs.MemoryMiB,
		e.Needs.DiskGiB,
		e.Retired,
	)
}

// AddRig adds a rig with a new id.
func (t *Tx) AddRig(id string, r *catalogue.Rig) error {
	return t.exec(
		"INSERT INTO rigs (id, `key`, name, class, is_virtual, cpu, cores, memory_mib, graphics, storage, equipment, weight, replaces, retired) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		id,
		r.Key,
		r.Name,
		r.Class,
		r.Virtual,
		r.CPU,
		r.Cores,
		r.MemoryMiB,
		r.Graphics,
		r.Storage,
		list(r.Equipment),
		r.Weight,
		r.Replaces,
		r.Retired,
	)
}

// EditRig changes everything except the key.
func (t *Tx) EditRig(ref Ref, r *catalogue.Rig) error {
	return t.edit(
		"rigs",
		ref.ID,
		ref.Revision,
		"name = ?, class = ?, is_virtual = ?, cpu = ?, cores = ?, memory_mib = ?, graphics = ?, storage = ?, equipment = ?, weight = ?, replaces = ?, retired = ?",
		r.Name,
		r.Class,
		r.Virtual,
		r.CPU,
		r.Cores,
		r.MemoryMiB,
		r.Graphics,
		r.Storage,
		list(r.Equipment),
		r.Weight,
		r.Replaces,
		r.Retired,
	)
}

// RigUsed reports whether any reading was made on the rig with that id.
func (t *Tx) RigUsed(id string) (used bool, err error) {
	err = t.row(`SELECT EXISTS (SELECT 1 FROM readings WHERE rig = ?)`, id).Scan(&used)
	return used, translate(err)
}
