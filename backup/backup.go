// Package backup makes a copy of all that is recorded, and brings one back. A backup
// is a ZIP archive of two files: about.json, and what pg_dump writes in its custom
// format, for pg_restore; encrypted with age (age-encryption.org/v1) where a key is
// named. The key that reads it is not in it.
package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"filippo.io/age"
	"github.com/jackc/pgx/v5"

	"manudex/store"
)

// About is what a backup says of itself.
type About struct {
	Made    time.Time `json:"made"`
	Company string    `json:"company"`
	Schema  int64     `json:"schema"`        // version of the database
	Head    string    `json:"head"`          // the digest that the audit list was sealed to
	Key     string    `json:"key,omitempty"` // the age recipient whose key reads it, "" for none
}

const (
	aboutName  = "about.json"
	dumpName   = "database.dump"
	sealedName = "database.dump.age"
)

// Write writes a backup of the database of dsn. Where key is not empty, it is an age
// recipient, age1…, and only whoever has its identity can read the backup. Sessions
// are left out.
func Write(ctx context.Context, dsn string, to io.Writer, key string, now time.Time) (About, error) {
	about, err := aboutOf(ctx, dsn, now)
	if err != nil {
		return about, err
	}
	about.Key = key
	archive := zip.NewWriter(to)
	if err := writeAbout(archive, about); err != nil {
		return about, err
	}
	name := dumpName
	if key != "" {
		name = sealedName
	}
	entry, err := archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: now}) // it is packed already
	if err != nil {
		return about, err
	}
	into := io.WriteCloser(unclosed{entry})
	if key != "" {
		recipient, err := age.ParseX25519Recipient(key)
		if err != nil {
			return about, fmt.Errorf("the key %q: %w; write what age-keygen calls the public key, age1…", key, err)
		}
		if into, err = age.Encrypt(entry, recipient); err != nil {
			return about, err
		}
	}
	if err := dump(ctx, dsn, into); err != nil {
		return about, err
	}
	return about, errors.Join(into.Close(), archive.Close())
}

type unclosed struct{ io.Writer }

func (unclosed) Close() error { return nil }

func aboutOf(ctx context.Context, dsn string, now time.Time) (About, error) {
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return About{}, err
	}
	defer db.Close()
	about := About{Made: now.UTC()}
	if about.Schema, err = store.SchemaVersion(ctx, db); err != nil {
		return about, err
	}
	if about.Company, err = store.CompanyName(ctx, db); err != nil {
		return about, err
	}
	seal, err := store.LastSeal(ctx, db)
	about.Head = hex.EncodeToString(seal.Digest)
	return about, err
}

func writeAbout(archive *zip.Writer, about About) error {
	entry, err := archive.CreateHeader(&zip.FileHeader{Name: aboutName, Method: zip.Deflate, Modified: about.Made})
	if err != nil {
		return err
	}
	lines := json.NewEncoder(entry)
	lines.SetIndent("", "  ")
	return lines.Encode(about)
}

func dump(ctx context.Context, dsn string, to io.Writer) error {
	cmd, err := postgres(ctx, dsn, "pg_dump", "--format=custom", "--no-owner", "--no-privileges", "--exclude-table-data=sessions")
	if err != nil {
		return err
	}
	cmd.Stdout = to
	return run(cmd)
}

// Read reads what a backup says of itself.
func Read(archive *zip.Reader) (about About, err error) {
	f, err := archive.Open(aboutName)
	if err != nil {
		return about, fmt.Errorf("this is no backup of Manudex: %w", err)
	}
	defer f.Close()
	if err := json.NewDecoder(f).Decode(&about); err != nil {
		return about, fmt.Errorf("this is no backup of Manudex: %w", err)
	}
	return about, nil
}

// Restore brings a backup back into the database of dsn, which must be empty, and
// brings it to the newest version. Identities are the keys with which it may be
// read. Afterwards all sessions, links and known browsers are dead.
func Restore(ctx context.Context, dsn string, archive *zip.Reader, identities []age.Identity, now time.Time) (About, error) {
	about, err := Read(archive)
	if err != nil {
		return about, err
	}
	if newest := store.NewestSchema(); about.Schema > newest {
		return about, fmt.Errorf("the backup is of a newer Manudex: its database has version %d, this program knows %d",
			about.Schema, newest)
	}
	from, err := contents(archive, about, identities)
	if err != nil {
		return about, err
	}
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return about, err
	}
	defer db.Close()
	if empty, err := store.IsEmpty(ctx, db); err != nil {
		return about, err
	} else if !empty {
		return about, errors.New("there is something in the database already: restore into an empty one, such as createdb makes")
	}
	cmd, err := postgres(ctx, dsn, "pg_restore", "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction",
		"--dbname="+databaseOf(dsn))
	if err != nil {
		return about, err
	}
	cmd.Stdin = from
	if err := run(cmd); err != nil {
		return about, err
	}
	if err := db.Migrate(ctx); err != nil {
		return about, err
	}
	return about, store.EndAllWaysIn(ctx, db, now, about.Made)
}

// contents opens the dump, with one of the keys where it takes one.
func contents(archive *zip.Reader, about About, identities []age.Identity) (io.Reader, error) {
	if about.Key == "" {
		return archive.Open(dumpName)
	}
	sealed, err := archive.Open(sealedName)
	if err != nil {
		return nil, err
	}
	if len(identities) == 0 {
		return nil, fmt.Errorf("the backup takes the key of %s: name its file with --key", about.Key)
	}
	plain, err := age.Decrypt(sealed, identities...)
	if err != nil {
		return nil, fmt.Errorf("the backup takes the key of %s, and that is not in the file: %w", about.Key, err)
	}
	return plain, nil
}

// postgres prepares one of PostgreSQL's own programs to work on a database. What
// connects it is in the environment, where other users of the machine don't see it.
func postgres(ctx context.Context, dsn, program string, args ...string) (*exec.Cmd, error) {
	path, err := find(program)
	if err != nil {
		return nil, err
	}
	cfg, err := pgx.ParseConfig(dsn)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	cmd := exec.CommandContext(ctx, path, args...)
	cmd.Env = append(os.Environ(), "PGHOST="+cfg.Host, "PGPORT="+strconv.Itoa(int(cfg.Port)), "PGUSER="+cfg.User,
		"PGPASSWORD="+cfg.Password, "PGDATABASE="+cfg.Database)
	for _, setting := range []string{"sslmode", "sslrootcert", "sslcert", "sslkey"} {
		if found := regexp.MustCompile(`\b` + setting + `=([^\s&]+)`).FindStringSubmatch(dsn); found != nil {
			cmd.Env = append(cmd.Env, "PG"+strings.ToUpper(setting)+"="+found[1])
		}
	}
	return cmd, nil
}

func databaseOf(dsn string) string {
	cfg, err := pgx.ParseConfig(dsn)
	if err != nil {
		return ""
	}
	return cfg.Database
}

// find finds a program of PostgreSQL: on the PATH, or the newest that Debian's
// packages have put where only their wrappers look.
func find(program string) (string, error) {
	if path, err := exec.LookPath(program); err == nil {
		return path, nil
	}
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/" + program)
	if err != nil || len(found) == 0 {
		return "", fmt.Errorf("%s is not here: install the package postgresql-client", program)
	}
	slices.SortFunc(found, func(a, b string) int { return version(a) - version(b) })
	return found[len(found)-1], nil
}

func version(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4]) // what has no number comes first
	return n
}

// run runs a program, and says what it said when it failed.
func run(cmd *exec.Cmd) error {
	var said bytes.Buffer
	cmd.Stderr = &said
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s: %w: %s", filepath.Base(cmd.Path), err, strings.TrimSpace(said.String()))
	}
	return nil
}
