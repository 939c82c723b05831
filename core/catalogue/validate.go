package catalogue

import (
	"regexp"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

var versionPattern = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._+~-]{0,63}$`)

// Validate reports every fault of distributions, their releases and editions, and returns the full keys of the
// editions.
func Validate(ds []Distribution, book *fault.Book) map[string]bool {
	editions := map[string]bool{}
	seen := map[string]bool{}
	for i := range ds {
		book.In(i, func() {
			d := &ds[i]
			ValidateDistribution(d, book)
			if seen[d.Key] {
				book.Field("key", "distribution %q is duplicated", d.Key)
			}
			seen[d.Key] = true
			book.In("releases", func() { validateReleases(d, editions, book) })
		})
	}
	return editions
}

func validateReleases(d *Distribution, editions map[string]bool, book *fault.Book) {
	versions := map[string]bool{}
	for j := range d.Releases {
		r := &d.Releases[j]
		book.In(j, func() {
			ValidateRelease(r, book)
			if versions[r.Version] {
				book.Field("version", "release %q is duplicated", r.Version)
			}
			versions[r.Version] = true
			book.In("editions", func() {
				for k := range r.Editions {
					book.In(k, func() {
						e := &r.Editions[k]
						ValidateEdition(e, book)
						full := EditionKey(d.Key, r.Version, e.Key)
						if editions[full] {
							book.Field("key", "edition %q is duplicated", e.Key)
						}
						editions[full] = true
					})
				}
			})
		})
	}
}

// ValidateDistribution reports the faults of a distribution itself.
func ValidateDistribution(d *Distribution, book *fault.Book) {
	key(book, "key", d.Key)
	oneOf(book, "model", d.Model, Models)
	book.In("family", func() {
		for i, f := range d.Family {
			book.In(i, func() {
				if !checklist.ValidKey(f) {
					book.Add("%.70q is not a key", f)
				}
				if f == d.Key {
					book.Add("a distribution cannot be based on itself")
				}
			})
		}
	})
}

// ValidateRelease reports the faults of a release itself.
func ValidateRelease(r *Release, book *fault.Book) {
	if !versionPattern.MatchString(r.Version) {
		book.Field(
			"version",
			"%.70q is not a version: use letters, digits and . _ + ~ -, at most 64, starting with a "+
				"letter or digit",
			r.Version,
		)
	}
	if checklist.Reserved(r.Version) {
		book.Field("version", "%.70q is a reserved word of some systems; choose another version", r.Version)
	}
	date(book, "date", r.Date)
	if r.EndOfSupport != "" {
		date(book, "endOfSupport", r.EndOfSupport)
		if r.EndOfSupport < r.Date {
			book.Field("endOfSupport", "is before the release's date")
		}
	}
	optional(book, "tier", r.Tier, Tiers)
	optional(book, "stage", r.Stage, Stages)
	if slices.Contains(r.Replaces, r.Version) {
		book.Field("replaces", "a release cannot replace itself")
	}
}

// ValidateEdition reports the faults of an edition.
func ValidateEdition(e *Edition, book *fault.Book) {
	key(book, "key", e.Key)
	if e.Needs.MemoryMiB < 0 || e.Needs.DiskGiB < 0 {
		book.Field("needs", "memory and disk must be 0 or more")
	}
}

// ValidateRigs reports every fault of rigs and returns their keys.
func ValidateRigs(rigs []Rig, book *fault.Book) map[string]bool {
	keys := map[string]bool{}
	for i := range rigs {
		book.In(i, func() {
			ValidateRig(&rigs[i], book)
			if keys[rigs[i].Key] {
				book.Field("key", "rig %q is duplicated", rigs[i].Key)
			}
			keys[rigs[i].Key] = true
		})
	}
	return keys
}

// ValidateRig reports the faults of a rig.
func ValidateRig(r *Rig, book *fault.Book) {
	key(book, "key", r.Key)
	optional(book, "class", r.Class, Classes)
	if r.Cores < 0 {
		book.Field("cores", "must be 1 or more")
	}
	if r.MemoryMiB < 0 {
		book.Field("memoryMiB", "must be 1 or more")
	}
	if r.Replaces != "" && !checklist.ValidKey(r.Replaces) {
		book.Field("replaces", "%.70q is not the key of a rig", r.Replaces)
	}
	if r.Replaces == r.Key && r.Key != "" {
		book.Field("replaces", "a rig cannot replace itself")
	}
	if r.Weight != nil && !(*r.Weight >= 0 && *r.Weight <= 1e6) {
		book.Field("weight", "must be between 0 and a million")
	}
}

func key(book *fault.Book, field, k string) { checklist.NoteKey(book, field, k) }

func date(book *fault.Book, field, s string) {
	if s == "" {
		book.Field(field, "is missing; give a date such as 2026-04-14")
		return
	}
	if _, err := time.Parse(time.DateOnly, s); err != nil {
		book.Field(field, "%.70q is not a date such as 2026-04-14", s)
	}
}

func oneOf(book *fault.Book, field, s string, words []string) {
	if !slices.Contains(words, s) {
		book.Field(field, "must be one of %s, not %.70q", strings.Join(words, ", "), s)
	}
}

func optional(book *fault.Book, field, s string, words []string) {
	if s != "" {
		oneOf(book, field, s, words)
	}
}
