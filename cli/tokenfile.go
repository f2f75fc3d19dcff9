package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"twinsieve/service/handover"
)

// kept is what is kept of being signed in to one service.
type kept struct {
	Token string `json:"token"`
	ID    uint   `json:"id"`
	Name  string `json:"name"`
}

// tokenFile is the file in which the command line keeps its tokens, by the services' addresses. Only its owner can read it.
func tokenFile() (string, error) {
	if file := os.Getenv("TWINSIEVE_TOKEN_FILE"); file != "" {
		return file, nil
	}
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", wrongRequest("there is no place for the token: %s; name a file with TWINSIEVE_TOKEN_FILE", err)
	}
	return filepath.Join(dir, "twinsieve", "tokens.json"), nil
}

// readTokens reads the tokens that are kept. A file that others can read is refused, for its tokens may be known.
func readTokens() (map[string]kept, error) {
	file, err := tokenFile()
	if err != nil {
		return nil, err
	}
	tokens := map[string]kept{}
	info, err := os.Stat(file)
	if errors.Is(err, fs.ErrNotExist) {
		return tokens, nil
	}
	if err != nil {
		return nil, broken("%s cannot be read: %s", file, err)
	}
	if info.Mode().Perm()&0o077 != 0 {
		return nil, wrongRequest("%s can be read by others, so its tokens may be known; revoke them, then: chmod 600 %s", file, file)
	}
	text, err := os.ReadFile(file)
	if err == nil {
		err = json.Unmarshal(text, &tokens)
	}
	if err != nil {
		return nil, broken("%s cannot be read: %s; remove it and sign in again", file, err)
	}
	return tokens, nil
}

// changeTokens changes what is kept.
func changeTokens(change func(map[string]kept)) error {
	tokens, err := readTokens()
	if err != nil {
		return err
	}
	change(tokens)
	text, err := json.MarshalIndent(tokens, "", "  ")
	if err != nil {
		return err
	}
	file, err := tokenFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return broken("%s cannot be made: %s", filepath.Dir(file), err)
	}
	err = handover.WriteSecret(file, func(w io.Writer) error {
		_, err := fmt.Fprintf(w, "%s\n", text)
		return err
	})
	if err != nil {
		return broken("%w", err)
	}
	return nil
}

// tokenFor is the token for the service at an address: TWINSIEVE_TOKEN, or the one that is kept; "" where there
// is none.
func tokenFor(address string) (string, error) {
	if token := os.Getenv("TWINSIEVE_TOKEN"); token != "" {
		return token, nil
	}
	tokens, err := readTokens()
	return tokens[address].Token, err
}
