package notice

import (
	"context"
	"errors"

	"github.com/google/uuid"

	"manudex/app"
)

// SendAll tries every message that is still to be sent once, as the queue does.
func SendAll(ctx context.Context, a *app.App, last bool) error {
	var ids []uuid.UUID
	err := a.DB.SelectContext(ctx, &ids, `select id from message where sent_at is null and failed_at is null order by id`)
	for _, id := range ids {
		err = errors.Join(err, send(ctx, a, id, last))
	}
	return err
}
