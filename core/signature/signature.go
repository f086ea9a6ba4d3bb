// Package signature signs records with keys of OpenSSH and tells who signed one, in the open
// form of its signatures of files (PROTOCOL.sshsig): ssh-keygen -Y verifies what is signed
// here, and the other way round.
package signature

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/hiddeco/sshsig"
	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"

	"glassjar/core/limits"
)

// Namespace is what a signature of a record is for, so that no other signature counts as one.
const Namespace = "record@glassjar"

// Ending is that of a signature's file beside the record's.
const Ending = ".sig"

// Merged is the text of a signature's file where two sides of a merge had one each: neither is of
// what both became.
const Merged = "Two signed records were merged here. Sign what they became: glassjar record --sign KEY\n"

// KeyError says why a key cannot be signed with.
type KeyError struct{ File, Why string }

func (e *KeyError) Error() string { return e.File + " cannot be signed with: " + e.Why }

// Key finds what to sign with: a private key's file, or a public one's whose other half an agent
// has. passphrase is asked for that of a file; nil where nobody can be asked. close ends the use of it.
func Key(ctx context.Context, file string, passphrase func(file string) ([]byte, error)) (signer ssh.Signer, close func(), err error) {
	close = func() {}
	text, err := limits.ReadFile(file, limits.Own)
	if err != nil {
		return nil, close, err
	}
	if public, _, _, _, err := ssh.ParseAuthorizedKey(text); err == nil {
		return fromAgent(ctx, file, public)
	}
	signer, err = ssh.ParsePrivateKey(text)
	var locked *ssh.PassphraseMissingError
	if err == nil {
		return signer, close, nil
	}
	if public := publicOf(file); public != nil {
		// An agent has the key unlocked, and those that a device keeps.
		if signer, close, failed := fromAgent(ctx, file, public); failed == nil {
			return signer, close, nil
		}
	}
	if !errors.As(err, &locked) {
		return nil, close, &KeyError{file, "it is no private key that can be read here; of one that a device keeps, give the .pub file, with the key in the agent"}
	}
	if passphrase == nil {
		return nil, close, &KeyError{file, "it has a passphrase, and nobody can be asked for it here; put it into the agent"}
	}
	word, err := passphrase(file)
	if err != nil {
		return nil, close, err
	}
	if signer, err = ssh.ParsePrivateKeyWithPassphrase(text, word); err != nil {
		return nil, close, &KeyError{file, "the passphrase does not open it"}
	}
	return signer, close, nil
}

// publicOf is the public half that stands beside a private key, or nil.
func publicOf(file string) ssh.PublicKey {
	text, err := limits.ReadFile(file+".pub", limits.Own)
	if err != nil {
		return nil
	}
	public, _, _, _, err := ssh.ParseAuthorizedKey(text)
	if err != nil {
		return nil
	}
	return public
}

// agentVariable says where the agent listens, as OpenSSH has it.
const agentVariable = "SSH_AUTH_SOCK"

var errNoAgent = errors.New("no agent is there")

func fromAgent(ctx context.Context, file string, public ssh.PublicKey) (ssh.Signer, func(), error) {
	none := func() {}
	conn, err := dialAgent(ctx)
	if errors.Is(err, errNoAgent) {
		return nil, none, &KeyError{file, "it is a public key, and no agent is there (" + agentVariable + " is not set)"}
	}
	if err != nil {
		return nil, none, &KeyError{file, "the agent does not answer: " + err.Error()}
	}
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	end := func() {
		stop()
		conn.Close()
	}
	signers, err := agent.NewClient(conn).Signers()
	if err != nil {
		end()
		return nil, none, &KeyError{file, "the agent does not answer: " + err.Error()}
	}
	for _, s := range signers {
		if bytes.Equal(s.PublicKey().Marshal(), public.Marshal()) {
			return s, end, nil
		}
	}
	end()
	return nil, none, &KeyError{file, "the agent does not have its private half"}
}

// Sign gives the signature of a record's text, as the text of a file, and the fingerprint of
// the key.
func Sign(signer ssh.Signer, record []byte) (sig []byte, key string, err error) {
	one, err := sshsig.Sign(bytes.NewReader(record), signer, sshsig.HashSHA512, Namespace)
	if err != nil {
		return nil, "", fmt.Errorf("the record could not be signed: %w", err)
	}
	return sshsig.Armor(one), ssh.FingerprintSHA256(signer.PublicKey()), nil
}

// Stale reports whether a signature is one of a record, but not of this one.
func Stale(record, sig []byte) bool {
	one, err := sshsig.Unarmor(sig)
	return err == nil && one.Namespace == Namespace && sshsig.Verify(bytes.NewReader(record), one, one.PublicKey, one.HashAlgorithm, Namespace) != nil
}

// NotSignedError says why a record does not count as signed by somebody who is listed.
type NotSignedError struct {
	// Record is the record's file, or address; Signers the file of those who are listed.
	Record, Signers string
	// Key is the fingerprint of the key that signed, empty where there is no signature.
	Key string
	Why string
}

func (e *NotSignedError) Error() string {
	return e.Record + " was not signed by anybody in " + e.Signers + ": " + e.Why
}

// Signed tells who signed a record.
type Signed struct {
	// Who are the principals of the line that lists the key; Key is its fingerprint.
	Who []string
	Key string
}

// Verify tells who of the signers signed a record's text. sig is a signature's file, nil where
// there is none; name is the record's, for the error, a [*NotSignedError].
func (s *Signers) Verify(name string, record, sig []byte, now time.Time) (*Signed, error) {
	no := &NotSignedError{Record: name, Signers: s.File}
	if sig == nil {
		no.Why = "it has no signature"
		return nil, no
	}
	if string(bytes.TrimSpace(sig)) == strings.TrimSpace(Merged) {
		no.Why = "two signed records were merged, and nobody has signed what they became"
		return nil, no
	}
	one, err := sshsig.Unarmor(sig)
	if err != nil {
		no.Why = "its signature cannot be read"
		return nil, no
	}
	no.Key = ssh.FingerprintSHA256(one.PublicKey)
	if one.Namespace != Namespace {
		no.Why = fmt.Sprintf("what signs it was made for something else, %q", one.Namespace)
		return nil, no
	}
	if err := sshsig.Verify(bytes.NewReader(record), one, one.PublicKey, one.HashAlgorithm, Namespace); err != nil {
		no.Why = "it is not what was signed"
		return nil, no
	}
	for _, line := range s.list {
		who, why := line.who(one.PublicKey, now)
		if len(who) > 0 {
			return &Signed{who, no.Key}, nil
		}
		if why != "" {
			no.Why = why
		}
	}
	if no.Why == "" {
		no.Why = "its key is not listed"
	}
	return nil, no
}

// String is the names of who signed, for messages.
func (s *Signed) String() string { return strings.Join(s.Who, ", ") }
