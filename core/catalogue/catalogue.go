// Package catalogue names what is reviewed and on what: distributions with
// their releases and editions, and rigs.
package catalogue

import (
	"slices"
	"strings"
)

// Distribution is a project that makes releases.
type Distribution struct {
	Key      string    `json:"key"`
	Name     string    `json:"name,omitempty"`
	Family   []string  `json:"family"` // bases, nearest first
	Model    string    `json:"model"`  // fixed, rolling, semi-rolling
	Aim      string    `json:"aim,omitempty"`
	Retired  bool      `json:"retired,omitempty"` // kept in the records, but not offered for new reviews
	Releases []Release `json:"releases"`
}

// Release is one version, or dated snapshot, of a distribution.
type Release struct {
	Version      string    `json:"version"`
	Codename     string    `json:"codename,omitempty"`
	Date         string    `json:"date"`            // YYYY-MM-DD
	Tier         string    `json:"tier,omitempty"`  // long-term, regular, snapshot
	Stage        string    `json:"stage,omitempty"` // pre-release, final
	EndOfSupport string    `json:"endOfSupport,omitempty"`
	Replaces     []string  `json:"replaces,omitempty"`
	BasedOn      string    `json:"basedOn,omitempty"` // distribution/release
	Retired      bool      `json:"retired,omitempty"`
	Editions     []Edition `json:"editions"`
}

// Edition is one variant of a release: what is reviewed and scored.
type Edition struct {
	Key          string `json:"key"`
	Line         string `json:"line,omitempty"`
	Desktop      string `json:"desktop,omitempty"`
	Architecture string `json:"architecture,omitempty"`
	Profile      string `json:"profile,omitempty"`
	Purpose      string `json:"purpose,omitempty"`
	Needs        Needs  `json:"needs,omitzero"`
	Retired      bool   `json:"retired,omitempty"`
}

// Needs is the hardware that the makers of an edition require.
type Needs struct {
	MemoryMiB int64 `json:"memoryMiB,omitempty"`
	DiskGiB   int64 `json:"diskGiB,omitempty"`
}

// Rig is a test machine with a fixed specification.
type Rig struct {
	Key       string   `json:"key"`
	Name      string   `json:"name,omitempty"`
	Class     string   `json:"class,omitempty"` // older, current, low-power, virtual
	Virtual   bool     `json:"virtual"`
	CPU       string   `json:"cpu,omitempty"`
	Cores     int      `json:"cores,omitempty"`
	MemoryMiB int64    `json:"memoryMiB,omitempty"`
	Graphics  string   `json:"graphics,omitempty"`
	Storage   string   `json:"storage,omitempty"`
	Equipment []string `json:"equipment,omitempty"`
	Weight    *float64 `json:"weight,omitempty"`   // nil is 1
	Replaces  string   `json:"replaces,omitempty"` // the rig that this machine was before its hardware changed
	Retired   bool     `json:"retired,omitempty"`
}

// The values that a field can have.
var (
	Models  = []string{"fixed", "rolling", "semi-rolling"}
	Tiers   = []string{"long-term", "regular", "snapshot"}
	Stages  = []string{"pre-release", "final"}
	Classes = []string{"older", "current", "low-power", "virtual"}
)

// EditionKey is the full key of an edition: distribution/release/edition.
func EditionKey(distribution, version, edition string) string {
	return distribution + "/" + version + "/" + edition
}

// SplitEdition splits an edition's full key into its parts.
func SplitEdition(key string) (distribution, version, edition string, ok bool) {
	parts := strings.Split(key, "/")
	if len(parts) != 3 || parts[0] == "" || parts[1] == "" || parts[2] == "" {
		return "", "", "", false
	}
	return parts[0], parts[1], parts[2], true
}

// ReleaseOf returns the release's part of an edition's full key: distribution/release.
func ReleaseOf(edition string) string {
	return edition[:max(strings.LastIndexByte(edition, '/'), 0)]
}

// DistributionOf returns the distribution's key in an edition's full key.
func DistributionOf(edition string) string {
	return edition[:max(strings.IndexByte(edition, '/'), 0)]
}

// Label distinguishes an edition from the others of its release: by its desktop, and its purpose if it has one; by
// its key if it has neither.
func (e *Edition) Label() string {
	switch {
	case e.Desktop != "" && e.Purpose != "":
		return e.Desktop + " " + e.Purpose
	case e.Desktop != "" && e.Profile == "minimal":
		return e.Desktop + " minimal"
	case e.Desktop != "":
		return e.Desktop
	}
	return e.Key
}

// Meets reports whether the rig has what a criterion needs: a piece of equipment, a class, or being virtual or
// physical.
func (r *Rig) Meets(need string) bool {
	switch need {
	case r.Class:
		return need != ""
	case "virtual":
		return r.Virtual
	case "physical":
		return !r.Virtual
	}
	return slices.Contains(r.Equipment, need)
}
