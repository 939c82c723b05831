package intake

import (
	"context"
	"fmt"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/cataloguing"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Installed is a system as it identifies itself, to be added to the catalogue.
type Installed struct {
	catalogue.Named
	Date  string // date of the release, which no system states
	Model string // model of a new distribution; empty: derived from whether there is a version
}

// ImportSystem adds a system to the catalogue: its distribution, release and edition, as far as they are missing.
func (s *Service) ImportSystem(
	ctx context.Context,
	who *access.Actor,
	x Installed,
	trial bool,
	w Watch,
) (Imported, error) {
	if err := who.Permit(cataloguing.EditCatalogue); err != nil {
		return Imported{}, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return Imported{}, err
	}
	d, r, e := x.Entries()
	if x.Model != "" {
		d.Model = x.Model
	}
	r.Date = x.Date
	release := d.Key + "/" + r.Version
	steps := []struct {
		subject, answer string
		there           bool
		check           func(*fault.Book)
		differs         string
	}{
		{
			"distribution " + d.Key,
			d.Name + ", " + d.Model,
			state.Catalogue.Versions[d.Key].ID != "",
			func(b *fault.Book) { catalogue.ValidateDistribution(&d, b) },
			"",
		},
		{
			"release " + release,
			r.Date,
			state.Catalogue.Versions[release].ID != "",
			func(b *fault.Book) { catalogue.ValidateRelease(&r, b) },
			"",
		},
		{
			"edition " + release + "/" + e.Key,
			strings.TrimSpace(e.Desktop + " " + e.Architecture),
			state.Catalogue.Versions[release+"/"+e.Key].ID != "",
			func(b *fault.Book) { catalogue.ValidateEdition(&e, b) },
			differs(state, release, &e),
		},
	}
	c, end := w.follow()
	defer end()
	for _, step := range steps {
		o := Outcome{Subject: step.subject, Answer: step.answer, Fate: FateSame, Why: step.differs}
		if !step.there {
			o.Fate, o.Why = FateNew, ""
			var book fault.Book
			step.check(&book)
			if faults := book.List(); len(faults) > 0 {
				o.Fate, o.Why, o.Column = FateRefused, faults.Line(), columnOf(faults)
			}
		}
		c.note(o)
	}
	if trial || c.done.Refused > 0 || c.done.New == 0 {
		return c.done, nil
	}
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		im := newImporter()
		for _, key := range []string{d.Key, release} {
			im.above[key] = state.Catalogue.Versions[key].ID
		}
		im.editions[release+"/"+e.Key] = state.Catalogue.Versions[release+"/"+e.Key].ID
		r.Editions = []catalogue.Edition{e}
		d.Releases = []catalogue.Release{r}
		if err := im.adding(tx).distribution(&d); err != nil {
			return ledger.Exists(err, "somebody else added it meanwhile; check the preview again")
		}
		return tx.Log("imported", store.SortCatalogue, release+"/"+e.Key, "")
	})
	return c.done.written(change, err)
}

// differs returns how the catalogue's edition differs from the system.
func differs(state *ledger.Records, release string, e *catalogue.Edition) string {
	old, ok := state.Edition(release + "/" + e.Key)
	if !ok {
		return ""
	}
	var says []string
	for _, f := range []struct{ name, there, here string }{{"desktop", old.Desktop, e.Desktop}, {"architecture", old.Architecture, e.Architecture}} {
		if f.here != "" && !strings.EqualFold(f.there, f.here) {
			says = append(says, fmt.Sprintf("the catalogue has the %s %q, the system %q", f.name, f.there, f.here))
		}
	}
	return strings.Join(says, "; ")
}
