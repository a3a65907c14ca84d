package work

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
)

// alive is the first half of the advisory lock that a node holds for as long as
// it works the queue, the second being made of its name. PostgreSQL lets it go
// with the connection, so with the node, however that ends.
const alive = 0x6d616e78

// lookPause is how often the nodes are looked after.
const lookPause = 5 * time.Second

// takeOver holds the lock of a node, and puts back into the queue what others
// had in hand that are no more, until the context ends. A job whose node is only
// cut off may so be run twice: each finds out whether its act was done.
func takeOver(ctx context.Context, pool *pgxpool.Pool, name string, log *slog.Logger) {
	for ctx.Err() == nil {
		if err := lookAfter(ctx, pool, name, log); err != nil && ctx.Err() == nil {
			log.Warn("look after the queue", "err", err)
		}
		pause(ctx, time.Second)
	}
}

// lookAfter does so on one connection, until it is lost.
func lookAfter(ctx context.Context, pool *pgxpool.Pool, name string, log *slog.Logger) error {
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `select pg_advisory_lock($1, hashtext($2))`, alive, name); err != nil {
		return fmt.Errorf("say that the node is alive: %w", err)
	}
	defer conn.Conn().Close(context.WithoutCancel(ctx)) // and the lock with it
	for {
		done, err := conn.Exec(ctx, `update river_job j set state = 'available', scheduled_at = now()
			where state = 'running' and not exists (
			  select 1 from pg_locks l join pg_database d on d.oid = l.database
			  where d.datname = current_database() and l.locktype = 'advisory' and l.granted and l.classid = $1::bigint::oid
			    and l.objid = (hashtext(j.attempted_by[cardinality(j.attempted_by)])::bigint & 4294967295)::oid)`, alive)
		if err != nil {
			return fmt.Errorf("take over what others had in hand: %w", err)
		}
		if n := done.RowsAffected(); n > 0 {
			log.Warn("jobs of nodes that are no more are taken over", "jobs", n)
		}
		pause(ctx, lookPause)
		if ctx.Err() != nil {
			return nil
		}
	}
}

func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
