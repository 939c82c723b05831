package people

import (
	"context"
	"math"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/text/unicode/norm"

	"dappertally/core/fault"
	"dappertally/internal/store"
)

// Requirements of a password: its length, and how hard it is to guess for somebody who knows common passwords, words,
// names, keyboards and the person.
const (
	leastLength = 12
	mostLength  = 1000 // bytes
	leastScore  = 3    // of 4: at least 10⁸ guesses
	judged      = 40   // letters that are examined: examining long ones takes long, and these are enough
)

// Strength is how hard a password is to guess.
type Strength struct {
	Score  int     // 0 to 4
	Digits float64 // the decimal logarithm of the guesses it takes
	Fault  string  // why it is rejected; empty: it is accepted
}

// Judge returns the strength of a password for somebody with these names.
func Judge(password string, names ...string) Strength {
	letters := []rune(password)
	result := zxcvbn.PasswordStrength(string(letters[:min(len(letters), judged)]), called(names))
	out := Strength{Score: result.Score, Digits: math.Log10(max(result.Guesses, 1))}
	switch {
	case utf8.RuneCountInString(password) < leastLength:
		out.Fault = "must be at least 12 characters long"
	case len(password) > mostLength:
		out.Fault = "is too long: at most 1000 bytes"
	case !utf8.ValidString(password):
		out.Fault = "must be text"
	case out.Score < leastScore:
		out.Fault = "is easy to guess: it is common, or made of your name, a few words or a row of keys; use a " +
			"few unrelated words"
	}
	return out
}

// called returns the names of a person, the words of these, and all of it without accents.
func called(names []string) []string {
	var all []string
	for _, name := range names {
		name = strings.ToLower(name)
		plain := strings.Map(func(r rune) rune {
			if unicode.Is(unicode.Mn, r) {
				return -1
			}
			return r
		}, norm.NFD.String(name))
		for _, text := range []string{name, plain} {
			words := strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
			all = append(all, text, strings.Join(words, ""), strings.Join(words, "-"))
			all = append(all, words...)
		}
	}
	return all
}

func validatePassword(book *fault.Book, password string, p *store.Person) {
	if why := Judge(password, p.Name, p.Title).Fault; why != "" {
		book.Field("password", "%s", why)
	}
}

// hashed returns the hash of a new password, after waiting for its turn.
func hashed(ctx context.Context, password string) (string, error) {
	done, err := hashing.acquire(ctx, hashPatience)
	if err != nil {
		return "", err
	}
	defer done()
	return hashPassword(password), nil
}
