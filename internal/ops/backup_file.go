package ops

import (
	"bufio"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"time"

	"filippo.io/age"

	"dappertally/internal/wholefile"
)

// sealing is for whom a backup is encrypted, and who can read it.
type sealing struct {
	recipients     []string // age1…, or the names of files that list them
	recipientsFile string
	identityFile   string
}

// seal encrypts a stream for the recipients; without any, it passes everything on. Close ends the file.
func (s *sealing) seal(w io.Writer) (io.WriteCloser, error) {
	to, err := s.to()
	if err != nil {
		return nil, err
	}
	if len(to) == 0 {
		return unclosed{w}, nil
	}
	return age.Encrypt(w, to...)
}

// to returns the recipients.
func (s *sealing) to() (to []age.Recipient, err error) {
	for _, text := range s.recipients {
		one, err := age.ParseRecipients(strings.NewReader(text))
		if err != nil {
			return nil, fmt.Errorf("--recipient takes a public key of age, which starts with age1, not %q", text)
		}
		to = append(to, one...)
	}
	if s.recipientsFile == "" {
		return to, nil
	}
	file, err := os.Open(s.recipientsFile)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	more, err := age.ParseRecipients(file)
	if err != nil {
		return nil, fmt.Errorf("%s has no public keys of age, one per line: %w", s.recipientsFile, err)
	}
	return append(to, more...), nil
}

// sealed reports whether backups are encrypted.
func (s *sealing) sealed() bool { return len(s.recipients) > 0 || s.recipientsFile != "" }

type unclosed struct{ io.Writer }

func (unclosed) Close() error { return nil }

// sealedBegin is the beginning of an age file.
const sealedBegin = "age-encryption.org/"

// unpacked reads a backup from its beginning, and decrypts it if needed.
func (s *sealing) unpacked(file *os.File) (io.Reader, error) {
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	r := bufio.NewReader(file)
	var content io.Reader = r
	if begin, err := r.Peek(len(sealedBegin)); err == nil && string(begin) == sealedBegin {
		if content, err = s.open(r, file.Name()); err != nil {
			return nil, err
		}
	}
	plain, err := gzip.NewReader(content)
	if err != nil {
		return nil, fmt.Errorf("%s is not a Dapper Tally backup", file.Name())
	}
	return plain, nil
}

func (s *sealing) open(r io.Reader, name string) (io.Reader, error) {
	if s.identityFile == "" {
		return nil, fmt.Errorf("%s is encrypted; name the file with the private key with --identity", name)
	}
	text, err := os.Open(s.identityFile)
	if err != nil {
		return nil, err
	}
	defer text.Close()
	identities, err := age.ParseIdentities(text)
	if err != nil {
		return nil, fmt.Errorf("%s has no private key of age: %w", s.identityFile, err)
	}
	plain, err := age.Decrypt(r, identities...)
	var none *age.NoIdentityMatchError
	if errors.As(err, &none) {
		return nil, fmt.Errorf("%s is encrypted for other keys than %s", name, s.identityFile)
	}
	return plain, err
}

// series is a folder of backups, of which the newest are kept.
type series struct {
	folder string
	keep   int
	lock   *os.File
}

// named is the name format of a series' backups, by their time; their checksums have an additional extension.
var named = regexp.MustCompile(`^dtally-\d{8}T\d{6}Z\.gz(\.age)?$`)

const sumEnding = ".sha256"

// openSeries opens a folder, creating it if needed, for one process.
func openSeries(folder string, keep int) (*series, error) {
	if keep < 1 {
		return nil, fmt.Errorf("--keep takes the number of backups to keep, 1 or more, not %d", keep)
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	lock, err := os.OpenFile(filepath.Join(folder, ".lock"), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return nil, errors.Join(fmt.Errorf("another backup to %s is in progress", folder), lock.Close())
	}
	return &series{folder, keep, lock}, nil
}

func (s *series) close() { _ = s.lock.Close() } // the lock ends with it

// name returns the file name of a backup made now.
func (s *series) name(now time.Time, sealed bool) string {
	name := "dtally-" + now.UTC().Format("20060102T150405Z") + ".gz"
	if sealed {
		name += ".age"
	}
	return filepath.Join(s.folder, name)
}

// thin removes all but the newest backups, and returns them. Other files stay.
func (s *series) thin() (removed []string, err error) {
	entries, err := os.ReadDir(s.folder)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, e := range entries {
		if named.MatchString(e.Name()) {
			names = append(names, e.Name())
		}
	}
	slices.Sort(names) // by time
	for _, name := range names[:max(0, len(names)-s.keep)] {
		if err := os.Remove(filepath.Join(s.folder, name)); err != nil {
			return removed, err
		}
		if err := os.Remove(filepath.Join(s.folder, name+sumEnding)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return removed, err
		}
		removed = append(removed, name)
	}
	return removed, nil
}

// writeSum writes a file's SHA-256 next to it, in the format of sha256sum -c.
func writeSum(name string) error {
	sum, err := sumOf(name)
	if err != nil {
		return err
	}
	return wholefile.WriteSecret(name+sumEnding, func(w io.Writer) error {
		_, err := fmt.Fprintf(w, "%s  %s\n", sum, filepath.Base(name))
		return err
	})
}

func sumOf(name string) (string, error) {
	file, err := os.Open(name)
	if err != nil {
		return "", err
	}
	defer file.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, file); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

// checkSum compares a file with the SHA-256 next to it, if there is one.
func checkSum(name string) error {
	text, err := os.ReadFile(name + sumEnding)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	want, _, _ := strings.Cut(string(text), " ")
	is, err := sumOf(name)
	if err == nil && is != want {
		err = fmt.Errorf("%s is damaged: its SHA-256 is not the one in %s", name, filepath.Base(name)+sumEnding)
	}
	return err
}
