package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"
)

const (
	argonThreads = 2
	argonKey     = 32
)

// costs are the parameters of a hash as its text form contains them.
var costs = fmt.Sprintf("m=%d,t=%d,p=%d", argonMemory, argonTime, argonThreads)

// outdatedHash reports whether a hash has another cost than new ones.
func outdatedHash(hash string) bool {
	parts := strings.Split(hash, "$")
	return len(parts) == 6 && parts[3] != costs
}

// hashPassword returns the argon2id hash of a password in its usual text form.
func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails: it ends the program instead
	key := argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonThreads, argonKey)
	return fmt.Sprintf("$argon2id$v=%d$%s$%s$%s", argon2.Version, costs,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

// passwordFits reports whether hash is that of the password. It takes equally long for a hash that is empty or
// malformed.
func passwordFits(password, hash string) bool {
	memory, time, threads := uint32(argonMemory), uint32(argonTime), uint8(argonThreads)
	salt, key := make([]byte, 16), []byte(nil)
	if parts := strings.Split(hash, "$"); len(parts) == 6 {
		_, _ = fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &threads) // a malformed hash matches nothing below
		if s, err := base64.RawStdEncoding.DecodeString(parts[4]); err == nil {
			salt = s
		}
		key, _ = base64.RawStdEncoding.DecodeString(parts[5])
	}
	made := argon2.IDKey([]byte(password), salt, time, memory, threads, argonKey)
	return subtle.ConstantTimeCompare(made, key) == 1
}
