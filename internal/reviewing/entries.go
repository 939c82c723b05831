package reviewing

import (
	"context"
	"encoding/hex"
	"errors"
	"slices"
	"strconv"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// EntryRecord is an entry of a review's record with its revision and author.
type EntryRecord = store.EntryRow

// LargestEvidence is the largest file of evidence.
const LargestEvidence = 8 << 20

// Entries returns the content of a review's record: for the team the newest, for everybody else what the last
// acceptance pinned.
func (s *Service) Entries(ctx context.Context, who *access.Actor, review string) ([]EntryRecord, error) {
	if _, err := s.Review(ctx, who, review); err != nil {
		return nil, err
	}
	rows, err := s.ledger.Store.Entries(ctx, review, !who.May(access.SeeWork))
	if err != nil {
		return nil, ledger.Failed(err, "reading a review's record")
	}
	return rows, nil
}

// PutEntry writes an entry under its id. Without a version it adds the entry, and adding the same again changes
// nothing; with a version it corrects the existing one, which only its author or a lead can do.
func (s *Service) PutEntry(
	ctx context.Context,
	who *access.Actor,
	review string,
	v ledger.Version,
	e reading.Entry,
) (change int64, err error) {
	if err := who.Permit(KeepRecord); err != nil {
		return 0, err
	}
	k, err := s.keeper(ctx, who, review)
	if err != nil {
		return 0, err
	}
	if err := k.validateEntry(ctx, &e); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := k.open(tx); err != nil {
			return err
		}
		return k.put(tx, v, &e)
	})
}

// put writes an entry of the review, which the transaction has locked.
func (k *keeper) put(tx *store.Tx, v ledger.Version, e *reading.Entry) error {
	review := k.review.ID
	_, head := e.Part()
	old, dropped, err := tx.FindEntry(review, head.ID)
	switch {
	case errors.Is(err, store.ErrNotFound):
		if v != 0 {
			return problem.New(problem.NotFound, "there is no entry %s to correct", head.ID)
		}
		k.signed(head, tx.Now())
		if err := tx.AddEntry(review, 1, e, false, false); err != nil {
			return err
		}
	case err != nil:
		return err
	default:
		if done, err := k.corrects(&old, e, v, dropped); done || err != nil {
			return err
		}
		if err := tx.AddEntry(review, old.Revision+1, e, false, false); err != nil {
			return stale(err)
		}
	}
	if err := k.Disclose(tx, k.who, review); err != nil {
		return err
	}
	if err := tx.Start(review); err != nil {
		return err
	}
	part, _ := e.Part()
	return tx.Log("wrote "+part, store.SortReview, review, head.ID)
}

// DropEntry removes an entry from a review's record. Its revisions are kept.
func (s *Service) DropEntry(
	ctx context.Context,
	who *access.Actor,
	review, id string,
	v ledger.Version,
) (int64, error) {
	if err := who.Permit(KeepRecord); err != nil {
		return 0, err
	}
	k, err := s.keeper(ctx, who, review)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := k.open(tx); err != nil {
			return err
		}
		old, dropped, err := tx.FindEntry(review, id)
		if errors.Is(err, store.ErrNotFound) || dropped {
			return problem.New(problem.NotFound, "there is no entry %s in this review", id)
		}
		if err != nil {
			return err
		}
		if err := k.mayChange(&old, v); err != nil {
			return err
		}
		if old.System != nil {
			rs, err := tx.Readings(review)
			if err != nil {
				return err
			}
			if slices.ContainsFunc(rs, func(x reading.Reading) bool { return x.System == id }) {
				return problem.New(
					problem.Conflict, "readings were made in the state %s; correct it instead of removing it", id,
				)
			}
		}
		if err := tx.AddEntry(review, old.Revision+1, &old.Entry, true, false); err != nil {
			return stale(err)
		}
		part, _ := old.Part()
		return tx.Log("dropped "+part, store.SortReview, review, id)
	})
}

// stale returns the error that somebody else wrote the same revision first.
func stale(err error) error {
	if errors.Is(err, store.ErrExists) {
		return ledger.Failed(store.ErrStale, "")
	}
	return err
}

// keeper is the context for checking an entry.
type keeper struct {
	*Service
	who    *access.Actor
	review store.Review
	state  *ledger.Records
	list   *checklist.Checklist
}

func (s *Service) keeper(ctx context.Context, who *access.Actor, review string) (*keeper, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	r, err := s.Review(ctx, who, review)
	if err != nil {
		return nil, err
	}
	list, err := scoring.Newest(state.Checklists.Lists, r.Checklist)
	if err != nil {
		return nil, ledger.Failed(err, "finding the review's checklist")
	}
	return &keeper{s, who, r, state, list}, nil
}

// open locks the review and checks that it still accepts entries.
func (k *keeper) open(tx *store.Tx) error {
	state, _, err := tx.LockReview(k.review.ID)
	if err == nil && state == reading.Withdrawn {
		return problem.New(problem.Conflict, "the review was withdrawn; nothing can be written in it")
	}
	return err
}

// signed sets an entry's author, and the present time if it has none.
func (k *keeper) signed(head *reading.Head, now time.Time) {
	head.Reviewer = k.who.Name
	if head.At.IsZero() {
		head.At = now
	}
	head.At = head.At.UTC().Truncate(time.Microsecond)
}

// corrects checks that e can replace old; done is true if both have the same content.
func (k *keeper) corrects(old *EntryRecord, e *reading.Entry, v ledger.Version, dropped bool) (done bool, err error) {
	was, before := old.Part()
	part, head := e.Part()
	if was != part {
		return false, problem.New(problem.Conflict, "%s is a %s; a %s needs its own id", head.ID, was, part)
	}
	head.Reviewer = before.Reviewer
	if head.At.IsZero() {
		head.At = before.At
	}
	head.At = head.At.UTC().Truncate(time.Microsecond)
	if !dropped && ledger.SameJSON(old.Entry, e) {
		return true, nil
	}
	return false, k.mayChange(old, v)
}

func (k *keeper) mayChange(old *EntryRecord, v ledger.Version) error {
	_, head := old.Part()
	if head.Reviewer != k.who.Name && !k.who.May(EditOthers) {
		return problem.New(problem.Forbidden, "only %s, who wrote this, or a lead can change it", head.Reviewer)
	}
	_, err := ledger.Based(map[string]store.Ref{head.ID: {ID: head.ID, Revision: old.Revision}}, head.ID, v)
	return err
}

// validateEntry reports every fault of an entry, and sets what is detected from a file's content.
func (k *keeper) validateEntry(ctx context.Context, e *reading.Entry) error {
	var book fault.Book
	reading.ValidateEntry(e, k.list, &book)
	part, head := e.Part()
	if head == nil {
		return problem.From("the entry", book.List())
	}
	book.In(part, func() {
		if isFuture(head.At, k.ledger.Now()) {
			book.Field("at", "is in the future: it is %s now", k.ledger.Now().Format(time.RFC3339))
		}
		k.refers(ctx, e, &book)
	})
	return problem.From("the entry", book.List())
}

// refers checks that what an entry refers to exists.
func (k *keeper) refers(ctx context.Context, e *reading.Entry, book *fault.Book) {
	rig := func(key string) {
		if _, ok := k.state.Catalogue.RigVersions[key]; key != "" && !ok {
			book.Field("rig", "there is no rig %q", key)
		}
	}
	switch {
	case e.System != nil:
		rig(e.System.Rig)
	case e.Journal != nil:
		rig(e.Journal.Rig)
	case e.Use != nil:
		rig(e.Use.Rig)
	case e.Finding != nil:
		rig(e.Finding.Rig)
		k.follows(ctx, e.Finding, book)
	case e.Verdict != nil:
		book.In("alternatives", func() {
			for i, key := range e.Verdict.Alternatives {
				if _, _, _, ok := catalogue.SplitEdition(key); !ok || k.state.Catalogue.Versions[key].ID == "" {
					book.Field(strconv.Itoa(i), "there is no edition %q; write distribution/release/edition", key)
				}
			}
		})
	case e.Evidence != nil && e.Evidence.SHA256 != "":
		k.file(ctx, e.Evidence, book)
	}
}

// follows checks that a finding follows up one of the same edition line.
func (k *keeper) follows(ctx context.Context, f *reading.Finding, book *fault.Book) {
	if f.KnownIssue != "" {
		if _, err := k.ledger.Store.KnownIssue(ctx, f.KnownIssue); err != nil {
			book.Field("trouble", "there is no known issue %q", f.KnownIssue)
		}
	}
	if f.Follows == "" {
		return
	}
	open, err := k.Unfollowed(ctx, k.who, k.review.ID)
	if err != nil {
		book.Field("follows", "cannot be looked up now: %s", err)
		return
	}
	if !slices.ContainsFunc(open, func(x EarlierFinding) bool { return x.Finding.ID == f.Follows }) {
		book.Field("follows", "there is no finding %.40q in an earlier review of this edition's line", f.Follows)
	}
}

// file checks that evidence was uploaded and is not too large, and sets its media type.
func (k *keeper) file(ctx context.Context, x *reading.Evidence, book *fault.Book) {
	hash, err := hex.DecodeString(x.SHA256)
	if err != nil {
		return // set already
	}
	size, start, err := k.ledger.Store.FileStart(ctx, hash)
	switch {
	case errors.Is(err, store.ErrNotFound):
		book.Field("sha256", "no file with this SHA-256 was uploaded; upload it to /api/v1/files first")
	case err != nil:
		book.Field("sha256", "cannot be looked up now: %s", err)
	case size > LargestEvidence:
		book.Field("sha256", "has %d MiB; evidence can have %d", size>>20, LargestEvidence>>20)
	}
	x.Size, x.Type = size, MediaType(start)
	if len(book.List()) > 0 {
		return
	}
	switch broken, err := k.brokenPicture(ctx, hash, x.Type); {
	case err != nil:
		book.Field("sha256", "cannot be checked now: %s", err)
	case broken != "":
		book.Field("sha256", "%s", broken)
	}
}

// Disclose adds a reviewer's standing disclosure to a review with their first entry in it, so that readers see it
// even if the reviewer later changes it.
func (s *Service) Disclose(tx *store.Tx, who *access.Actor, review string) error {
	if who.Disclosure == "" {
		return nil
	}
	if has, err := tx.Disclosed(review); has || err != nil {
		return err
	}
	e := reading.Entry{
		Disclosure: &reading.Disclosure{
			Head: reading.Head{ID: ledger.NewID(), At: tx.Now(), Reviewer: who.Name},
			Text: who.Disclosure,
		},
	}
	return tx.AddEntry(review, 1, &e, false, false)
}

// Written returns an entry as it was last written. The caller decides who can see it.
func (s *Service) Written(ctx context.Context, review, id string) (e reading.Entry, ok bool, err error) {
	entries, err := s.ledger.Store.Entries(ctx, review, false)
	if err != nil {
		return e, false, ledger.Failed(err, "reading entries")
	}
	for i := range entries {
		if _, head := entries[i].Part(); head.ID == id {
			return entries[i].Entry, true, nil
		}
	}
	return e, false, nil
}
