package people

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// setUpLasts is how long a set-up code is valid; another start creates another code.
const setUpLasts = 7 * 24 * time.Hour

// triedCode stands for set-up codes in the counts of failed attempts. It is not a key, so no account has it.
const triedCode = "*set-up"

// SetUp is what a service is set up with.
type SetUp struct {
	First  Account   // the first administrator
	Others []Account // people who choose a password through a link
	Team   string
}

// Begun is the result of the set-up.
type Begun struct {
	Session string // secret of the first administrator's session
	Who     access.Actor
	Links   []Link // links of the others, in order
	Until   time.Time
	Change  int64
}

// Link is the secret of a link with which somebody chooses a password.
type Link struct{ Name, Secret string }

// AwaitsSetUp reports whether nobody can sign in, so that the service has to be set up.
func (s *Service) AwaitsSetUp(ctx context.Context) (bool, error) {
	if s.begun.Load() { // and that does not change
		return false, nil
	}
	nobody, err := s.ledger.Store.NobodySignsIn(ctx)
	if err != nil {
		return false, ledger.Failed(err, "reading accounts")
	}
	if !nobody {
		s.begun.Store(true)
	}
	return nobody, nil
}

// SetUpCode creates a code with which the service can be set up once. The caller shows it where only administrators
// can read it.
func (s *Service) SetUpCode(ctx context.Context) (string, error) {
	code := rand.Text()[:16] // 80 bits
	at := s.now()
	if err := s.ledger.Store.AddSetUpCode(ctx, code, at, at.Add(-setUpLasts)); err != nil {
		return "", ledger.Failed(err, "making a code")
	}
	return code[:4] + "-" + code[4:8] + "-" + code[8:12] + "-" + code[12:], nil
}

// plainCode normalizes a typed code.
func plainCode(typed string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return -1
		}
		return unicode.ToUpper(r)
	}, typed)
}

// SetUp creates the first administrator, the team's name and the first people, for whoever knows the code, and signs
// the administrator in. It works once, while nobody can sign in.
func (s *Service) SetUp(ctx context.Context, code, password string, with SetUp, from Place) (Begun, error) {
	if nobody, err := s.AwaitsSetUp(ctx); err != nil || !nobody {
		return Begun{}, errors.Join(err, problem.New(problem.Conflict, "this service is already set up; sign in"))
	}
	if err := s.mayTry(ctx, triedCode, from); err != nil {
		return Begun{}, err
	}
	if err := with.validate(password); err != nil {
		return Begun{}, err
	}
	hash, err := hashed(ctx, password)
	if err != nil {
		return Begun{}, err
	}
	with.First.Password = hash
	at := s.now()
	out := Begun{Until: at.Add(LinkLasts)}
	out.Change, err = s.ledger.Write(
		ctx,
		&access.Actor{},
		func(tx *store.Tx) error { return with.begin(tx, code, at, &out) },
	)
	if problem.IsKind(err, problem.Forbidden) {
		return out, errors.Join(err, s.failed(ctx, triedCode, from))
	}
	if err != nil {
		return out, err
	}
	out.Session, out.Who, err = s.open(ctx, &with.First, false, from)
	return out, err
}

// begin writes the content of the set-up.
func (w *SetUp) begin(tx *store.Tx, code string, at time.Time, out *Begun) error {
	err := tx.UseSetUpCode(plainCode(code), at.Add(-setUpLasts))
	if errors.Is(err, store.ErrNotFound) {
		return problem.New(problem.Forbidden,
			"this code is wrong; the service prints the code in its log when it starts")
	}
	if err != nil {
		return err
	}
	if nobody, err := tx.NobodySignsIn(); err != nil || !nobody {
		return errors.Join(err, problem.New(problem.Conflict, "this service is already set up; sign in"))
	}
	for i, p := range append([]*Account{&w.First}, pointers(w.Others)...) {
		if err := tx.AddPerson(p); err != nil {
			return ledger.Exists(err, "an account %q exists already; choose another name", p.Name)
		}
		if err := tx.Log("added", store.SortPerson, p.Name, strings.Join(p.Roles, ", ")); err != nil {
			return err
		}
		if i == 0 {
			continue
		}
		link := Link{p.Name, newSecret()}
		if err := tx.SetLink(p.ID, link.Secret, out.Until); err != nil {
			return err
		}
		out.Links = append(out.Links, link)
	}
	if err := tx.NameTeam(w.Team); err != nil {
		return err
	}
	return tx.Log("set up", store.SortPolicy, "rules", w.Team)
}

func pointers(all []Account) []*Account {
	out := make([]*Account, len(all))
	for i := range all {
		out[i] = &all[i]
	}
	return out
}

// validate reports every fault of the set-up.
func (w *SetUp) validate(password string) error {
	var book fault.Book
	w.Team = strings.TrimSpace(w.Team)
	if w.Team == "" || len(w.Team) > ledger.LongestTeam {
		book.Field("team", "must be the name of the team, in 1 to %d bytes", ledger.LongestTeam)
	}
	if !slices.Contains(w.First.Roles, access.Administrator) {
		w.First.Roles = append(w.First.Roles, access.Administrator)
	}
	checklist.NoteKey(&book, "name", w.First.Name)
	validatePerson(&book, &w.First)
	validatePassword(&book, password, &w.First)
	names := map[string]bool{w.First.Name: true}
	book.In("people", func() {
		for i := range w.Others {
			book.In(i, func() {
				checklist.NoteKey(&book, "name", w.Others[i].Name)
				validatePerson(&book, &w.Others[i])
				if names[w.Others[i].Name] {
					book.Field("name", "%s is duplicated", w.Others[i].Name)
				}
				names[w.Others[i].Name] = true
			})
		}
	})
	return problem.From("the set-up", book.List())
}
