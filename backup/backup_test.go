package backup_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"io"
	"strings"
	"testing"

	"filippo.io/age"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/people"
	"manudex/backup"
	"manudex/dbtest"
	"manudex/store"
)

func archiveOf(t *testing.T, raw []byte) *zip.Reader {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	apptest.Must(t, err)
	return z
}

// A backup is brought back into an empty database: what was recorded is there and
// verifies, the audit list holds the head that the backup names, passwords work, and
// every way in that was open is closed.
func TestRestore(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	welcome, shared := app.NewSignInToken(), app.NewSignInToken()
	apptest.Must(t, w.Do(ctx, mira, people.LinkFor(viggo.ID, welcome)))
	customer := dbtest.Get[uuid.UUID](t, w, `select id from customer where name = 'County of Hollin'`)
	apptest.Must(t, w.Do(ctx, mira, jobs.ShareHours{ID: apptest.NewID(), Customer: customer, To: "Clerk of works", Token: shared}))
	_, err := w.DB.Exec(`insert into sessions (token, data, expiry) values ('secret-session', 'x', now() + interval '1 day')`)
	apptest.Must(t, err)
	_, err = app.SealAudit(ctx, w.App)
	apptest.Must(t, err)

	var raw bytes.Buffer
	about, err := backup.Write(ctx, w.DB.Pool.Config().ConnString(), &raw, "", w.At())
	apptest.Must(t, err)
	if bytes.Contains(raw.Bytes(), []byte("secret-session")) {
		t.Error("a session is in the backup")
	}
	to := dbtest.Blank(t)
	back := app.New(to, w.At, w.Log)
	_, err = backup.Restore(ctx, to.Pool.Config().ConnString(), archiveOf(t, raw.Bytes()), nil, w.At())
	apptest.Must(t, err)

	_, cards, found, err := hours.Verify(ctx, back, hours.ToVerify{})
	apptest.Must(t, err)
	if before := dbtest.Get[int](t, w, `select count(*) from card`); cards != before || len(found) > 0 {
		t.Errorf("%d cards of %d are back, %d differences", cards, before, len(found))
	}
	v, err := app.VerifyAudit(ctx, to)
	apptest.Must(t, err)
	head, err := hex.DecodeString(about.Head)
	apptest.Must(t, err)
	if seal, err := store.SealOf(ctx, to, head); len(v.Wrong) > 0 || err != nil || seal.Rows == 0 {
		t.Errorf("the audit list: %v, %v", v.Wrong, err)
	}
	if _, err := people.Welcome(ctx, back, welcome); err != app.ErrNotFound {
		t.Errorf("a link from before: %v", err)
	}
	if _, err := jobs.ReadSharedHours(ctx, back, shared, apptest.Thursday); err != app.ErrNotFound {
		t.Errorf("a customer's link from before: %v", err)
	}
	id, err := people.SignIn(ctx, back, "dao.pham@ebbwater.example", "beacon and gantry")
	if err != nil || id != w.Person(t, "Dao Pham").ID {
		t.Errorf("a password from before: %v", err)
	}
	epoch := `select session_epoch from person where id = $1`
	if was, is := dbtest.Get[int](t, w, epoch, mira.ID), dbtest.Get[int](t, &dbtest.World{App: back}, epoch, mira.ID); is != was+1 {
		t.Errorf("sessions of before: epoch %d, then %d", was, is)
	}
	if _, err := app.SealAudit(ctx, back); err != nil {
		t.Errorf("sealing goes on: %v", err)
	}
	if _, err := backup.Restore(ctx, to.Pool.Config().ConnString(), archiveOf(t, raw.Bytes()), nil, w.At()); err == nil ||
		!strings.Contains(err.Error(), "something in the database already") {
		t.Errorf("over what is there: %v", err)
	}
}

// An encrypted backup says which key it takes, doesn't hold it, and is read by no
// other.
func TestEncryptedBackup(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	key, err := age.GenerateX25519Identity()
	apptest.Must(t, err)
	other, err := age.GenerateX25519Identity()
	apptest.Must(t, err)
	var raw bytes.Buffer
	_, err = backup.Write(ctx, w.DB.Pool.Config().ConnString(), &raw, key.Recipient().String(), w.At())
	apptest.Must(t, err)
	if bytes.Contains(raw.Bytes(), []byte("Castellane")) || bytes.Contains(raw.Bytes(), []byte(key.String())) {
		t.Error("it can be read, or holds its key")
	}
	about, err := backup.Read(archiveOf(t, raw.Bytes()))
	if err != nil || about.Key != key.Recipient().String() || about.Company != "Ebbwater Signs & Beacons" {
		t.Errorf("it says %+v, %v", about, err)
	}
	to := dbtest.Blank(t)
	for name, keys := range map[string][]age.Identity{"none": nil, "another": {other}} {
		_, err := backup.Restore(ctx, to.Pool.Config().ConnString(), archiveOf(t, raw.Bytes()), keys, w.At())
		if err == nil || !strings.Contains(err.Error(), "takes the key of "+about.Key) {
			t.Errorf("with %s: %v", name, err)
		}
	}
	_, err = backup.Restore(ctx, to.Pool.Config().ConnString(), archiveOf(t, raw.Bytes()), []age.Identity{other, key}, w.At())
	apptest.Must(t, err)
	if n := dbtest.Get[int](t, &dbtest.World{App: app.New(to, w.At, w.Log)}, `select count(*) from punch`); n == 0 {
		t.Error("nothing came back")
	}
	if _, err := backup.Write(ctx, w.DB.Pool.Config().ConnString(), io.Discard, "age1nobody", w.At()); err == nil {
		t.Error("a key that is none")
	}
}

// A backup of an older version is brought to the newest; one of a newer is refused.
func TestBackupsOfOtherVersions(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	newest := store.NewestSchema()
	apptest.Must(t, w.DB.MigrateTo(ctx, newest-1))
	var raw bytes.Buffer
	about, err := backup.Write(ctx, w.DB.Pool.Config().ConnString(), &raw, "", w.At())
	if err != nil || about.Schema != newest-1 {
		t.Fatalf("%+v, %v", about, err)
	}
	to := dbtest.Blank(t)
	_, err = backup.Restore(ctx, to.Pool.Config().ConnString(), archiveOf(t, raw.Bytes()), nil, w.At())
	apptest.Must(t, err)
	if v, err := store.SchemaVersion(ctx, to); err != nil || v != newest {
		t.Errorf("it has version %d, %v", v, err)
	}
	var newer bytes.Buffer
	z := zip.NewWriter(&newer)
	f, err := z.Create("about.json")
	apptest.Must(t, err)
	apptest.Must(t, json.NewEncoder(f).Encode(backup.About{Schema: newest + 1}))
	apptest.Must(t, z.Close())
	_, err = backup.Restore(ctx, "", archiveOf(t, newer.Bytes()), nil, w.At())
	if err == nil || !strings.Contains(err.Error(), "newer Manudex") {
		t.Errorf("a newer one: %v", err)
	}
}

// An export holds every table but those that let somebody in, described, each column
// as it is called, and every row.
func TestExport(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	var raw bytes.Buffer
	tables, err := backup.Export(ctx, w.DB, &raw, w.At())
	apptest.Must(t, err)
	z := archiveOf(t, raw.Bytes())
	var described struct {
		Resources []struct {
			Name, Path, Description string
			Schema                  struct {
				Fields      []struct{ Name, Type string }
				ForeignKeys []struct {
					Fields    string
					Reference struct{ Resource, Fields string }
				} `json:"foreignKeys"`
			}
		}
	}
	f, err := z.Open("datapackage.json")
	apptest.Must(t, err)
	apptest.Must(t, json.NewDecoder(f).Decode(&described))
	if len(described.Resources) != len(tables) || len(tables) < 50 {
		t.Fatalf("%d tables, %d described", len(tables), len(described.Resources))
	}
	names := map[string]bool{}
	for _, r := range described.Resources {
		names[r.Name] = true
		if r.Description == "" {
			t.Errorf("%s isn't described: say in tableWords what it holds", r.Name)
		}
		f, err := z.Open(r.Path)
		apptest.Must(t, err)
		rows, err := csv.NewReader(f).ReadAll()
		apptest.Must(t, err)
		if n := dbtest.Get[int](t, w, `select count(*) from "`+r.Name+`"`); n != len(rows)-1 {
			t.Errorf("%s: %d rows of %d", r.Name, len(rows)-1, n)
		}
		for i, field := range r.Schema.Fields {
			if rows[0][i] != field.Name {
				t.Errorf("%s: column %d is called %s, and described as %s", r.Name, i, rows[0][i], field.Name)
			}
			if strings.Contains(field.Name, "hash") || strings.Contains(field.Name, "secret") {
				t.Errorf("%s.%s is in it", r.Name, field.Name)
			}
		}
	}
	for _, r := range described.Resources {
		for _, k := range r.Schema.ForeignKeys {
			if !names[k.Reference.Resource] {
				t.Errorf("%s.%s refers to %s, which isn't there", r.Name, k.Fields, k.Reference.Resource)
			}
		}
	}
	for _, secret := range []string{"sessions", "sign_in_link", "recovery_code", "device"} {
		if names[secret] {
			t.Errorf("%s is in it", secret)
		}
	}
}
