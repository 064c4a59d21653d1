import { PGlite } from '@electric-sql/pglite';
import { performance } from 'node:perf_hooks';
import { writeFileSync, readFileSync, cpSync,rmSync, cp } from 'node:fs';
import { emptyDatabaseFolder } from './dist/files.js';
const t=()=>performance.now(); let a=t();
rmSync('/tmp/pgx',{recursive:true,force:true});cpSync(emptyDatabaseFolder,'/tmp/pgx',{recursive:true});
let p=await PGlite.create({dataDir:'/tmp/pgx'}); 
await p.exec('drop schema public cascade;drop schema if exists drizzle cascade; create schema public');
a=t(); const f=await p.dumpDataDir('none'); console.log('dump',t()-a, f.size); writeFileSync('/tmp/pgx.tar', Buffer.from(await f.arrayBuffer())); await p.close();
for (const conf of [undefined, ['shared_buffers=16MB', 'wal_buffers=1MB']]) {
a=t(); let c=process.cpuUsage();
const q=await PGlite.create({loadDataDir:new Blob([readFileSync('/tmp/pgx.tar')]), postgresqlconf:conf}); console.log('load',t()-a,process.cpuUsage(c)); a=t(); console.log((await q.query("select count(*) from pg_class")).rows); console.log(t()-a, process.memoryUsage().rss/1e6);
}
