package caldav

import (
	"encoding/base64"
	"errors"
	"fmt"
	"net/url"
	"os"
	"runtime"
	"strconv"
	"strings"

	"yoyaku/internal/files"
)

// maxCredentialsBytes bounds a file of credentials, in bytes.
const maxCredentialsBytes = 1 << 12

// Credentials reads who a user is from a file of the lines user=NAME and password=WORD.
// One that others can read is refused, where the system says that by the file's mode.
// No error shows what the file says: it may be the password.
func Credentials(path string) (user, password string, err error) {
	info, err := os.Stat(path)
	if err != nil {
		return "", "", err
	}
	if info.Mode().Perm()&0o077 != 0 && runtime.GOOS != "windows" {
		return "", "", fmt.Errorf("%s holds a password and others can read it: chmod 600 it", path)
	}
	data, err := files.ReadAll(path, maxCredentialsBytes, "file of credentials")
	if err != nil {
		return "", "", err
	}
	said := map[string]bool{}
	for n, line := range strings.Split(strings.TrimPrefix(string(data), "\ufeff"), "\n") {
		line = strings.TrimSuffix(line, "\r")
		key, value, ok := strings.Cut(line, "=")
		key = strings.TrimSpace(key)
		if said[key] && (key == "user" || key == "password") {
			return "", "", fmt.Errorf("%s:%d: a second line %s=; remove one of them", path, n+1, key)
		}
		said[key] = ok
		switch key {
		case "user":
			user = value
		case "password":
			password = value
		default:
			ok = strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#")
		}
		if !ok {
			return "", "", fmt.Errorf("%s:%d: expected user=NAME or password=WORD", path, n+1)
		}
	}
	if user == "" || password == "" {
		return "", "", errors.New(path + " needs both user=NAME and password=WORD")
	}
	return user, password, nil
}

// PasswordRedactor takes a password out of texts, in the forms in which addresses, headings and
// quoted texts have it; nil if there is none.
func PasswordRedactor(user, password string) *strings.Replacer {
	if password == "" {
		return nil
	}
	const shown = "(password)"
	quoted := strconv.Quote(password)
	var pairs []string
	for _, form := range []string{base64.StdEncoding.EncodeToString([]byte(user + ":" + password)), password,
		url.PathEscape(password), url.QueryEscape(password), quoted[1 : len(quoted)-1]} {
		pairs = append(pairs, form, shown)
	}
	return strings.NewReplacer(pairs...)
}
