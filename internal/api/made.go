package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// made registers an operation that makes something and says where it is then.
func made[I, V any](a *api, o operation, f func(context.Context, *I) (*Made[V], error)) {
	a.register(o, o.id("read"), func(op huma.Operation) {
		op.DefaultStatus = http.StatusCreated
		huma.Register(a.API, op, func(ctx context.Context, in *I) (*Made[V], error) {
			out, err := f(ctx, in)
			if err != nil {
				return nil, a.problem(ctx, op, err)
			}
			return out, nil
		})
	})
}
