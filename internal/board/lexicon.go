package board

import (
	"sync"
	"sync/atomic"
)

// lexicon numbers the few texts that occur in many readings: keys of criteria and rigs, names of reviewers. It only
// grows, and can be read while it does.
type lexicon struct {
	mu      sync.Mutex
	numbers map[string]uint64
	texts   atomic.Pointer[[]string]
}

func newLexicon() *lexicon {
	l := &lexicon{numbers: map[string]uint64{}}
	l.texts.Store(&[]string{})
	return l
}

// numberOf returns the number of a text, which is added if it is new.
func (l *lexicon) numberOf(text string) uint64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	n, known := l.numbers[text]
	if !known {
		texts := append(*l.texts.Load(), text) // readers only use the part that they loaded
		n = uint64(len(texts) - 1)
		l.numbers[text] = n
		l.texts.Store(&texts)
	}
	return n
}

// all returns the texts by number.
func (l *lexicon) all() []string { return *l.texts.Load() }
