# Sturdy Puppet as a container. Build: docker build -f Containerfile -t sturdy-puppet .
# The interface is on port 4300, the recording proxy on 4310, everything that is kept under /data. See compose.yaml, and “sturdy serve --help” for what can be set.
FROM docker.io/library/node:20.20-bookworm-slim AS package
WORKDIR /build
COPY . .
RUN npm ci --ignore-scripts --no-audit --no-fund \
  && npm run build \
  && npm pack --ignore-scripts --pack-destination /tmp

FROM docker.io/library/node:20.20-bookworm-slim
# Backups of a PostgreSQL server are made by its own client programs.
RUN apt-get update \
  && apt-get install -y --no-install-recommends postgresql-client \
  && rm -rf /var/lib/apt/lists/*
COPY --from=package /tmp/sturdy-puppet-*.tgz /tmp/sturdy-puppet.tgz
RUN npm install --global --offline --no-audit --no-fund /tmp/sturdy-puppet.tgz \
  && rm /tmp/sturdy-puppet.tgz \
  && mkdir /data \
  && chown node:node /data
USER node
WORKDIR /data
VOLUME /data
# Within a container its own address is no way in from outside: what is published decides who reaches it.
ENV STURDY_LISTEN=0.0.0.0 STURDY_DATA=/data
EXPOSE 4300 4310
HEALTHCHECK --interval=30s --timeout=5s --start-period=60s \
  CMD ["node", "-e", "fetch('http://127.0.0.1:4300/api/about').then((answer) => process.exit(answer.ok ? 0 : 1), () => process.exit(1))"]
ENTRYPOINT ["sturdy"]
CMD ["serve"]
