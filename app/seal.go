package app

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"manudex/core/seal"
	"manudex/store"
)

// sealedAtOnce is how many rows of the audit list are sealed in one batch.
const sealedAtOnce = 5000

// SealAudit seals what is not sealed yet of the audit list, of transactions that
// are finished: every minute, by whichever node comes to it, so that no act
// waits for it. It says how many rows it sealed.
func SealAudit(ctx context.Context, a *App) (sealed int, err error) {
	for more := true; more && err == nil; {
		err = a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
			n, err := sealOne(ctx, tx, a.Now())
			sealed, more = sealed+n, n == sealedAtOnce
			return err
		})
	}
	return sealed, err
}

func sealOne(ctx context.Context, tx *sqlx.Tx, now time.Time) (int, error) {
	if err := store.LockSealing(ctx, tx); err != nil {
		return 0, err
	}
	rows, upto, err := store.Unsealed(ctx, tx, sealedAtOnce)
	if err != nil || len(rows) == 0 {
		return 0, err
	}
	if len(rows) == sealedAtOnce {
		upto = "" // there are more
	}
	last, err := store.LastSeal(ctx, tx)
	if err != nil {
		return 0, err
	}
	seqs, salts, digests := make([]int64, len(rows)), make([][]byte, len(rows)), make([][]byte, len(rows))
	leaves := make([]seal.Row, len(rows))
	for i, r := range rows {
		salts[i] = make([]byte, 16)
		rand.Read(salts[i]) // never fails
		leaves[i] = leafOf(r, payloadOf(r, salts[i]))
		seqs[i], digests[i] = r.Seq, leaves[i].Payload[:]
	}
	s := store.Seal{Batch: last.Batch + 1, MadeAt: now, Rows: len(rows)}
	digest := seal.Batch(last.Digest, s.Batch, leaves)
	s.Digest = digest[:]
	return len(rows), store.PutSeal(ctx, tx, s, upto, seqs, salts, digests)
}

func payloadOf(r store.Sealable, salt []byte) seal.Digest {
	return seal.Payload(salt, r.Detail, r.Old, r.New)
}

func leafOf(r store.Sealable, payload seal.Digest) seal.Row {
	text := func(id *uuid.UUID) string {
		if id == nil {
			return ""
		}
		return id.String()
	}
	return seal.Row{Seq: r.Seq, MadeAt: r.MadeAt, By: text(r.Person), About: text(r.About), Act: r.Act, Name: r.Name, Payload: payload}
}

// AuditVerdict is what became of holding the audit list against its seals.
type AuditVerdict struct {
	Rows, Batches, Erased int
	Wrong                 []string // rows that are not what was sealed, and batches
	Head                  []byte   // of the newest seal
}

// batchesAtOnce is how many batches are read in one go.
const batchesAtOnce = 20

// VerifyAudit holds the audit list against its seals: each row's payload against
// its digest, and each batch against the one before.
func VerifyAudit(ctx context.Context, db store.Q) (v AuditVerdict, err error) {
	seals, err := store.Seals(ctx, db)
	if err != nil {
		return v, err
	}
	var before []byte
	for from := 0; from < len(seals); from += batchesAtOnce {
		some := seals[from:min(from+batchesAtOnce, len(seals))]
		rows, err := store.Sealed(ctx, db, some[0].Batch, some[len(some)-1].Batch)
		if err != nil {
			return v, err
		}
		for i, s := range some {
			if want := int64(from + i + 1); s.Batch != want {
				v.Wrong = append(v.Wrong, fmt.Sprintf("batch %d of the audit list is missing", want))
			}
			n := 0
			for n < len(rows) && rows[n].Batch == s.Batch {
				n++
			}
			v.batch(s, before, rows[:n])
			rows, before = rows[n:], s.Digest
		}
	}
	v.Batches, v.Head = len(seals), before
	return v, nil
}

func (v *AuditVerdict) batch(s store.Seal, before []byte, rows []store.Sealable) {
	leaves := make([]seal.Row, len(rows))
	for i, r := range rows {
		payload := seal.Digest(r.Digest)
		if r.Salt == nil {
			v.Erased++
		} else if got := payloadOf(r, r.Salt); got != payload {
			v.Wrong = append(v.Wrong, fmt.Sprintf("row %d of the audit list is not what was sealed", r.Seq))
		}
		leaves[i] = leafOf(r, payload)
	}
	v.Rows += len(rows)
	if digest := seal.Batch(before, s.Batch, leaves); !bytes.Equal(digest[:], s.Digest) {
		v.Wrong = append(v.Wrong, fmt.Sprintf("batch %d of the audit list is not what was sealed", s.Batch))
	}
}

// sealJob is the work of sealing; headJob of telling the owners what the list is
// sealed to.
type sealJob struct{}

type headJob struct{}

// Kind names the work in the queue.
func (sealJob) Kind() string { return "seal" }

// Kind names the work in the queue.
func (headJob) Kind() string { return "seal_head" }

type sealer struct {
	river.WorkerDefaults[sealJob]
	app *App
}

// Work seals what is not sealed yet.
func (s *sealer) Work(ctx context.Context, _ *river.Job[sealJob]) error {
	_, err := SealAudit(ctx, s.app)
	return err
}

type headTeller struct {
	river.WorkerDefaults[headJob]
	app *App
}

// Work mails the owners what the audit list is sealed to: kept elsewhere, it
// tells whether the list still holds what it held.
func (h *headTeller) Work(ctx context.Context, _ *river.Job[headJob]) error {
	head, err := store.LastSeal(ctx, h.app.DB)
	if err != nil || head.Batch == 0 || !h.app.Post.Ready() {
		return err
	}
	place, err := h.app.Company(ctx)
	if err != nil {
		return err
	}
	owners, err := store.OwnersMail(ctx, h.app.DB)
	if err != nil {
		return err
	}
	text := fmt.Sprintf("The audit list of %s was sealed on %s, batch %d, to\n\n  %s\n\nKeep this mail. `manudex verify --head` with that "+
		"digest says, at any time, whether the list still holds what it held then.\n", place.Name,
		head.MadeAt.In(place.Loc).Format("Monday 2 January 2006, 15:04"), head.Batch, hex.EncodeToString(head.Digest))
	for _, to := range owners {
		if err := h.app.Post.Send(ctx, to, "What the audit list is sealed to", text); err != nil {
			return fmt.Errorf("tell an owner: %w", err)
		}
	}
	return nil
}

// AddWorkers registers what works the jobs of the kernel.
func AddWorkers(workers *river.Workers, a *App) {
	river.AddWorker(workers, &sealer{app: a})
	river.AddWorker(workers, &headTeller{app: a})
}

// Periodic puts the kernel's own work into the queue: sealing every minute, and
// the owners' mail every week.
func Periodic() []*river.PeriodicJob {
	once := func(job river.JobArgs, every time.Duration) *river.PeriodicJob {
		return river.NewPeriodicJob(river.PeriodicInterval(every), func() (river.JobArgs, *river.InsertOpts) {
			return job, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: every}}
		}, nil)
	}
	return []*river.PeriodicJob{once(sealJob{}, time.Minute), once(headJob{}, 7*24*time.Hour)}
}
