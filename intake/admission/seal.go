package admission

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"path/filepath"
)

// Seal keeps device keys so that only this service can read them: DTLS needs the key itself, not its
// hash. It is AES-256-GCM (NIST SP 800-38D) under a key in a file. The nil Seal keeps nothing.
type Seal struct{ aead cipher.AEAD }

const sealKeyBytes = 32

// OpenSeal reads the key file, or makes it where there is none.
func OpenSeal(path string) (*Seal, error) {
	key, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		key, err = newSealKey(path)
	}
	if err != nil {
		return nil, err
	}
	if len(key) != sealKeyBytes {
		return nil, fmt.Errorf("%s is not a key file: it has %d bytes instead of %d", path, len(key), sealKeyBytes)
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	return &Seal{aead}, err
}

// newSealKey writes a new key file; of two processes that do so at once, the first wins.
func newSealKey(path string) ([]byte, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o711); err != nil {
		return nil, err
	}
	key := make([]byte, sealKeyBytes)
	_, _ = rand.Read(key)
	draft, err := os.CreateTemp(filepath.Dir(path), ".seal-")
	if err != nil {
		return nil, err
	}
	defer os.Remove(draft.Name())
	_, err = draft.Write(key)
	if err := errors.Join(err, draft.Sync(), draft.Close()); err != nil {
		return nil, err
	}
	if err := os.Link(draft.Name(), path); err != nil && !errors.Is(err, os.ErrExist) {
		return nil, err
	}
	return os.ReadFile(path)
}

// Close seals a key.
func (s *Seal) Close(key string) []byte {
	if s == nil {
		return nil
	}
	return s.aead.Seal(nil, nil, []byte(key), nil)
}

// Open gives a sealed key.
func (s *Seal) Open(sealed []byte) (string, error) {
	if s == nil || sealed == nil {
		return "", errors.New("the key was not sealed; rotate it to use DTLS")
	}
	key, err := s.aead.Open(nil, nil, sealed, nil)
	if err != nil {
		return "", fmt.Errorf("the key cannot be opened with this key file: %w", err)
	}
	return string(key), nil
}
