// A provider of OpenID Connect with its pages for development: any name signs in. It is copied to where its packages are.
import Provider from 'oidc-provider';

const [port, redirect] = process.argv.slice(2);
const provider = new Provider(`http://127.0.0.1:${port}`, {
  clients: [
    {
      client_id: 'quay',
      client_secret: 'a-made-up-secret-of-enough-length',
      redirect_uris: [redirect],
      post_logout_redirect_uris: [new URL('/robots.txt', redirect).href],
    },
  ],
  cookies: { keys: ['a made-up key of enough length'] },
  pkce: { required: () => false },
});
provider.listen(Number(port), '127.0.0.1');
