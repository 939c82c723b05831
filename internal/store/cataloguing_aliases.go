package store

import (
	"context"
	"database/sql"
	"strings"
)

// alias is an old key: of a release below its distribution's id, of an edition below its release's.
type alias struct{ sort, parent, key string }

// topLevel is the parent id of entries without a parent.
const topLevel = "00000000-0000-0000-0000-000000000000"

func (c *Catalogue) loadAliases(ctx context.Context, q querier) error {
	for key, ref := range c.Versions {
		c.keys[ref.ID] = key
	}
	for key, ref := range c.RigVersions {
		c.keys[ref.ID] = key
	}
	return each(ctx, q, "SELECT sort, parent, `key`, target FROM aliases", nil, func(row *sql.Rows) error {
		var a alias
		var target string
		err := row.Scan(&a.sort, &a.parent, &a.key, &target)
		c.aliases[a] = target
		return err
	})
}

// Resolve returns the current full key of a catalogue entry, given that key or an older one; an unknown key is
// returned unchanged.
func (c *Catalogue) Resolve(key string) string {
	if _, ok := c.Versions[key]; ok {
		return key
	}
	sorts := []string{"distribution", "release", "edition"}
	parts := strings.Split(key, "/")
	if len(parts) > len(sorts) {
		return key
	}
	now, parent := "", topLevel
	for i, part := range parts {
		next := part
		if now != "" {
			next = now + "/" + part
		}
		if _, ok := c.Versions[next]; !ok {
			if next, ok = c.keys[c.aliases[alias{sorts[i], parent, part}]]; !ok {
				return key
			}
		}
		now, parent = next, c.Versions[next].ID
	}
	return now
}

// ResolveRig returns the current key of a rig.
func (c *Catalogue) ResolveRig(key string) string {
	if _, ok := c.RigVersions[key]; ok {
		return key
	}
	if now, ok := c.keys[c.aliases[alias{"rig", topLevel, key}]]; ok {
		return now
	}
	return key
}

// LeadOn makes an old key redirect.
func (t *Tx) LeadOn(sort, parent, key, target string) error {
	if parent == "" {
		parent = topLevel
	}
	return t.exec(
		"INSERT INTO aliases (sort, parent, `key`, target) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE target = VALUES(target)",
		sort,
		parent,
		key,
		target,
	)
}

// Below returns the rows of a table below a parent, by key: releases of a distribution, editions of a release.
func (t *Tx) Below(table, parent string) (map[string]string, error) {
	columns := map[string]string{
		"releases": "version, id FROM releases WHERE distribution",
		"editions": "`key`, id FROM editions WHERE `release`",
	}
	ids := map[string]string{}
	err := each(t.ctx, t.Tx, "SELECT "+columns[table]+" = ?", []any{parent}, func(row *sql.Rows) error {
		var key, id string
		err := row.Scan(&key, &id)
		ids[key] = id
		return err
	})
	return ids, err
}

// SetKey changes the key of a catalogue row.
func (t *Tx) SetKey(sort string, ref Ref, key string) error {
	column := "`key`"
	if sort == "release" {
		column = "version"
	}
	return t.edit(sort+"s", ref.ID, ref.Revision, column+" = ?", key)
}

// Rehang moves a release to another distribution, or an edition to another release.
func (t *Tx) Rehang(sort, id, parent string) error {
	if sort == "release" {
		return t.exec(`UPDATE releases SET distribution = ?, revision = revision + 1 WHERE id = ?`, parent, id)
	}
	return t.exec("UPDATE editions SET `release` = ?, revision = revision + 1 WHERE id = ?", parent, id)
}

// Absorb removes a catalogue row and moves its readings, reviews and old keys to another one of the same kind. Its
// children must have been moved already.
func (t *Tx) Absorb(sort, id, into string) error {
	moves := []string{"UPDATE aliases SET target = ? WHERE target = ?"}
	switch sort {
	case "distribution", "release":
		moves = append(moves, "UPDATE IGNORE aliases SET parent = ? WHERE parent = ?")
	case "edition":
		moves = append(moves, "UPDATE reviews SET edition = ?, revision = revision + 1 WHERE edition = ?")
	case "rig":
		moves = append(
			moves, "UPDATE readings SET rig = ? WHERE rig = ?", "UPDATE bench_sessions SET rig = ? WHERE rig = ?",
		)
	}
	for _, m := range moves {
		if err := t.exec(m, into, id); err != nil {
			return err
		}
	}
	return t.exec("DELETE FROM "+sort+"s WHERE id = ?", id)
}

// CountReviews counts the reviews of an edition.
func (t *Tx) CountReviews(edition string) (n int, err error) {
	err = t.row(`SELECT COUNT(*) FROM reviews WHERE edition = ?`, edition).Scan(&n)
	return n, translate(err)
}

// CountReadings counts the readings made on a rig.
func (t *Tx) CountReadings(rig string) (n int, err error) {
	err = t.row(`SELECT COUNT(*) FROM readings WHERE rig = ?`, rig).Scan(&n)
	return n, translate(err)
}

// RenameSubjects updates requests, the lead's order and suggestions to another key, for an entry and all below it. If
// both keys have a place, the new one's stays.
func (t *Tx) RenameSubjects(old, now string) error {
	for _, table := range []string{"requests", "queue_places", "suggestions"} {
		if err := t.exec("UPDATE IGNORE "+table+" SET subject = CONCAT(?, SUBSTRING(subject, CHAR_LENGTH(?) + 1)) WHERE subject = ? OR LEFT(subject, CHAR_LENGTH(?) + 1) = CONCAT(?, '/')",
			now, old, old, old, old); err != nil {
			return err
		}
	}
	return t.exec(
		`DELETE FROM queue_places WHERE subject = ? OR LEFT(subject, CHAR_LENGTH(?) + 1) = CONCAT(?, '/')`,
		old,
		old,
		old,
	)
}

// RenameDrafts updates drafts to a rig's new key.
func (t *Tx) RenameDrafts(old, now string) error {
	return t.exec(`UPDATE IGNORE drafts SET rig = ? WHERE rig = ?`, now, old)
}

// ReviewsUnder returns the ids of the reviews of a distribution, a release or an edition, given its id.
func (t *Tx) ReviewsUnder(sort, id string) ([]string, error) {
	column := map[string]string{"distribution": "p.distribution", "release": "e.release", "edition": "e.id"}[sort]
	return texts(
		t.ctx, t, `SELECT r.id FROM reviews r JOIN editions e ON e.id = r.edition JOIN releases p ON p.id = e.release
		WHERE `+column+` = ?`, id,
	)
}
