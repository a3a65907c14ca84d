package web

import (
	"net"
	"net/http"
	"net/netip"
	"strings"
)

// clientOf gives the address that a request comes from. A proxy that is trusted
// says whose it passes on; what it was told itself is not believed. Of IPv6 it
// is the network of 64 bits, which one household or office has as a whole.
func (s *Server) clientOf(r *http.Request) string {
	addr, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	ip := addr.Addr().Unmap()
	passed := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(passed) - 1; i >= 0 && s.trusts(ip); i-- {
		next, err := netip.ParseAddr(strings.TrimSpace(passed[i]))
		if err != nil {
			break
		}
		ip = next.Unmap()
	}
	if ip.Is6() {
		if net, err := ip.WithZone("").Prefix(64); err == nil {
			return net.String()
		}
	}
	return ip.String()
}

func (s *Server) trusts(ip netip.Addr) bool {
	for _, p := range s.opts.TrustedProxies {
		if p.Contains(ip) {
			return true
		}
	}
	return false
}

// ParseProxies reads the networks of trusted proxies, apart by commas:
// addresses or CIDR (RFC 4632).
func ParseProxies(text string) ([]netip.Prefix, error) {
	var found []netip.Prefix
	for part := range strings.SplitSeq(text, ",") {
		if part = strings.TrimSpace(part); part == "" {
			continue
		}
		p, err := netip.ParsePrefix(part)
		if err != nil {
			ip, err := netip.ParseAddr(part)
			if err != nil {
				return nil, err
			}
			p = netip.PrefixFrom(ip, ip.BitLen())
		}
		found = append(found, p.Masked())
	}
	return found, nil
}

// origin is how this server is reached, "https://hours.example": as it was told,
// else as the request came.
func (s *Server) origin(r *http.Request) string {
	if s.opts.Address != nil {
		return s.opts.Address.Scheme + "://" + s.opts.Address.Host
	}
	if r.TLS != nil || s.opts.SecureCookies {
		return "https://" + r.Host
	}
	return "http://" + r.Host
}

// secureOrigin is how this server is reached over HTTPS, for whoever came
// without.
func (s *Server) secureOrigin(r *http.Request) string {
	if s.opts.Address != nil {
		return s.origin(r)
	}
	host := r.Host
	if h, _, err := net.SplitHostPort(r.Host); err == nil {
		host = h
	}
	return "https://" + net.JoinHostPort(host, s.opts.SecurePort)
}

// knownHost refuses requests for a name that isn't the server's, where it was
// told its own: links in mails and on pages are made of it. Whoever looks
// whether it lives may call it anything.
func (s *Server) knownHost(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.opts.Address == nil || strings.EqualFold(r.Host, s.opts.Address.Host) || r.URL.Path == "/healthz" || r.URL.Path == "/readyz" {
			next.ServeHTTP(w, r)
			return
		}
		host, _, err := net.SplitHostPort(r.Host)
		if err == nil && strings.EqualFold(host, s.opts.Address.Host) {
			next.ServeHTTP(w, r)
			return
		}
		s.say(w, r, http.StatusMisdirectedRequest, "This is not the address of this place", "It is at "+s.origin(r)+".")
	})
}
